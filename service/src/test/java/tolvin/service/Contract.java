package tolvin.service;

import static org.assertj.core.api.Assertions.assertThat;

import com.fasterxml.jackson.databind.JsonNode;
import com.fasterxml.jackson.databind.ObjectMapper;
import com.fasterxml.jackson.databind.node.ObjectNode;
import com.networknt.schema.JsonSchema;
import com.networknt.schema.JsonSchemaFactory;
import com.networknt.schema.SpecVersion;
import com.networknt.schema.ValidationMessage;
import io.restassured.RestAssured;
import io.restassured.filter.Filter;
import io.restassured.filter.FilterContext;
import io.restassured.response.Response;
import io.restassured.specification.FilterableRequestSpecification;
import io.restassured.specification.FilterableResponseSpecification;
import java.io.IOException;
import java.io.UncheckedIOException;
import java.net.URI;
import java.util.HashMap;
import java.util.Map;
import java.util.Optional;

/** Holds every answer that a test gets against the OpenAPI document that the service gives out. */
final class Contract implements Filter {
  static final Contract CHECKED = new Contract();
  private static final ObjectMapper JSON = new ObjectMapper();

  private final Map<String, Optional<JsonSchema>> schemas = new HashMap<>();
  private JsonNode document;

  private Contract() {}

  @Override
  public Response filter(
      FilterableRequestSpecification request,
      FilterableResponseSpecification answer,
      FilterContext context) {
    Response response = context.next(request, answer);
    if (response.statusCode() == 200
        && String.valueOf(response.contentType()).startsWith("application/json")) {
      check(request.getMethod(), URI.create(request.getURI()).getPath(), response.asString());
    }
    return response;
  }

  private synchronized void check(String method, String path, String body) {
    Optional<JsonSchema> schema =
        schemas.computeIfAbsent(method + " " + template(path), at -> schema(at));
    schema.ifPresent(
        s -> {
          try {
            assertThat(s.validate(JSON.readTree(body)))
                .as(method + " " + path + ": " + body)
                .extracting(ValidationMessage::getMessage)
                .isEmpty();
          } catch (IOException e) {
            throw new UncheckedIOException(e);
          }
        });
  }

  private String template(String path) {
    JsonNode paths = document().get("paths");
    for (var names = paths.fieldNames(); names.hasNext(); ) {
      String template = names.next();
      if (path.matches(template.replaceAll("\\{[^}]*}", "[^/]+"))) {
        return template;
      }
    }
    return "";
  }

  private Optional<JsonSchema> schema(String at) {
    String[] parts = at.split(" ", 2);
    JsonNode said =
        document()
            .at("/paths/" + parts[1].replace("/", "~1") + "/" + parts[0].toLowerCase())
            .at("/responses/200/content/application~1json/schema");
    if (said.isMissingNode()) {
      return Optional.empty();
    }
    ObjectNode schema = said.deepCopy();
    schema.set("components", document().get("components"));
    return Optional.of(
        JsonSchemaFactory.getInstance(SpecVersion.VersionFlag.V202012).getSchema(schema));
  }

  private JsonNode document() {
    if (document == null) {
      try {
        document = JSON.readTree(RestAssured.given().get("/q/openapi?format=json").asString());
        document.get("components").get("schemas").forEach(Contract::close);
      } catch (IOException e) {
        throw new UncheckedIOException(e);
      }
    }
    return document;
  }

  /** A field that the document does not name is a mistake too. */
  private static void close(JsonNode schema) {
    if (schema.has("properties")) {
      ((ObjectNode) schema).put("additionalProperties", false);
    }
  }
}
