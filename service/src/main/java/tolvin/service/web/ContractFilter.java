package tolvin.service.web;

import io.quarkus.smallrye.openapi.OpenApiFilter;
import java.util.Map;
import java.util.Set;
import java.util.stream.Collectors;
import org.eclipse.microprofile.openapi.OASFilter;
import org.eclipse.microprofile.openapi.models.OpenAPI;
import org.eclipse.microprofile.openapi.models.media.Schema;
import org.jboss.jandex.ClassInfo;
import org.jboss.jandex.DotName;
import org.jboss.jandex.IndexView;
import org.jboss.jandex.RecordComponentInfo;
import tolvin.core.word.Words;

/**
 * Completes the OpenAPI document by what the records say: constants by their words, and every field
 * that may not be absent as required.
 */
@OpenApiFilter(OpenApiFilter.RunStage.BUILD)
public class ContractFilter implements OASFilter {
  private static final DotName NULLABLE = DotName.createSimple("org.jspecify.annotations.Nullable");
  private static final String API = "tolvin.api";

  private final Map<String, ClassInfo> records;

  /** Reads the records of the API. */
  public ContractFilter(IndexView index) {
    records =
        index.getKnownClasses().stream()
            .filter(c -> c.isRecord() && c.name().toString().startsWith(API))
            .collect(Collectors.toMap(c -> c.name().withoutPackagePrefix(), c -> c, (a, b) -> a));
  }

  @Override
  public void filterOpenAPI(OpenAPI document) {
    document
        .getComponents()
        .getSchemas()
        .forEach((name, schema) -> complete(name.startsWith("Page") ? "Page" : name, schema));
  }

  private void complete(String name, Schema schema) {
    if (schema.getEnumeration() != null) {
      schema.setEnumeration(
          schema.getEnumeration().stream()
              .<Object>map(constant -> Words.ofName(constant.toString()))
              .toList());
      return;
    }
    ClassInfo record = records.getOrDefault(name, records.get(name.replaceAll("\\d+$", "")));
    if (record == null || schema.getProperties() == null) {
      return;
    }
    Set<String> fields = schema.getProperties().keySet();
    schema.setRequired(
        record.recordComponents().stream()
            .filter(component -> !isNullable(component))
            .map(RecordComponentInfo::name)
            .filter(fields::contains)
            .toList());
  }

  private static boolean isNullable(RecordComponentInfo component) {
    return component.hasAnnotation(NULLABLE)
        || component.type().annotations().stream().anyMatch(a -> a.name().equals(NULLABLE));
  }
}
