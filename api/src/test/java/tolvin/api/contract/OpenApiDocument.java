package tolvin.api.contract;

import com.fasterxml.jackson.databind.JsonNode;
import com.fasterxml.jackson.databind.node.ObjectNode;
import com.networknt.schema.JsonSchema;
import com.networknt.schema.JsonSchemaFactory;
import com.networknt.schema.SpecVersion;
import com.networknt.schema.ValidationMessage;
import java.util.ArrayList;
import java.util.IdentityHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;

/** The OpenAPI document, to which the tests of both sides hold what is sent and answered. */
public final class OpenApiDocument {
  private static final String SCHEMAS = "#/components/schemas/";

  private final JsonNode document;
  private final Map<JsonNode, JsonSchema> schemas = new IdentityHashMap<>();

  /** A document; a field that it does not name is a mistake. */
  public OpenApiDocument(JsonNode document) {
    this.document = document;
    document.at("/components/schemas").forEach(OpenApiDocument::close);
  }

  private static void close(JsonNode schema) {
    if (schema.has("properties")) {
      ((ObjectNode) schema).put("additionalProperties", false);
    }
  }

  /** What the document says of a call; a path without a variable goes before one with. */
  public Optional<JsonNode> call(String method, String path) {
    String verb = method.toLowerCase(Locale.ROOT);
    List<JsonNode> fitting = new ArrayList<>();
    for (Map.Entry<String, JsonNode> one : document.get("paths").properties()) {
      if (one.getValue().has(verb) && path.matches(one.getKey().replaceAll("\\{[^}]*}", "[^/]+"))) {
        if (one.getKey().equals(path)) {
          return Optional.of(one.getValue().get(verb));
        }
        fitting.add(one.getValue().get(verb));
      }
    }
    return fitting.stream().findFirst();
  }

  /** The schema of a JSON body; empty if the call has none. */
  public static Optional<JsonNode> body(JsonNode where) {
    return Optional.of(where.at("/content/application~1json/schema"))
        .filter(schema -> !schema.isMissingNode());
  }

  /** The schema that a schema refers to, or itself. */
  public JsonNode resolved(JsonNode schema) {
    return schema.has("$ref")
        ? document
            .at("/components/schemas")
            .get(schema.get("$ref").asText().substring(SCHEMAS.length()))
        : schema;
  }

  /** What is wrong with a body, in words of the validator. */
  public synchronized List<String> wrong(JsonNode schema, JsonNode body) {
    return schemas.computeIfAbsent(schema, this::compiled).validate(body).stream()
        .map(ValidationMessage::getMessage)
        .toList();
  }

  private JsonSchema compiled(JsonNode said) {
    ObjectNode schema = said.deepCopy();
    schema.set("components", document.get("components"));
    return JsonSchemaFactory.getInstance(SpecVersion.VersionFlag.V202012).getSchema(schema);
  }
}
