package tolvin.service;

import static org.assertj.core.api.Assertions.assertThat;

import com.fasterxml.jackson.databind.JsonNode;
import com.fasterxml.jackson.databind.ObjectMapper;
import io.restassured.RestAssured;
import io.restassured.filter.Filter;
import io.restassured.filter.FilterContext;
import io.restassured.http.ContentType;
import io.restassured.response.Response;
import io.restassured.specification.FilterableRequestSpecification;
import io.restassured.specification.FilterableResponseSpecification;
import io.restassured.specification.RequestSpecification;
import java.io.IOException;
import java.io.UncheckedIOException;
import java.net.URI;
import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.UUID;
import tolvin.api.contract.OpenApiDocument;

/** Holds every answer that a test gets against the OpenAPI document that the service gives out. */
final class Contract implements Filter {
  static final Contract CHECKED = new Contract();
  private static final ObjectMapper JSON = new ObjectMapper();

  private OpenApiDocument document;

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

  private void check(String method, String path, String body) {
    document()
        .call(method, path)
        .flatMap(call -> OpenApiDocument.body(call.at("/responses/200")))
        .ifPresent(
            schema ->
                assertThat(document().wrong(schema, read(body)))
                    .as(method + " " + path + ": " + body)
                    .isEmpty());
  }

  private synchronized OpenApiDocument document() {
    if (document == null) {
      document = new OpenApiDocument(read(openApi()));
    }
    return document;
  }

  private static JsonNode read(String json) {
    try {
      return JSON.readTree(json);
    } catch (IOException e) {
      throw new UncheckedIOException(e);
    }
  }

  /**
   * A call of the document.
   *
   * @param takesBytes whether its body is bytes and not JSON
   */
  record Call(String method, String path, boolean takesBytes) {
    /** Sends it for something that is not there, with an empty object. */
    Response sent(RequestSpecification by) {
      String url =
          path.replace("{number}", "999999").replaceAll("\\{.*?}", UUID.randomUUID().toString());
      return by.contentType(takesBytes ? ContentType.BINARY : ContentType.JSON)
          .body("{}".getBytes(StandardCharsets.UTF_8))
          .header("If-Match", "\"0\"")
          .request(method, url);
    }

    @Override
    public String toString() {
      return method + " " + path;
    }
  }

  /** Every call of the document. */
  static List<Call> calls() {
    List<Call> calls = new ArrayList<>();
    JsonNode paths = read(openApi()).get("paths");
    for (Map.Entry<String, JsonNode> path : paths.properties()) {
      for (Map.Entry<String, JsonNode> said : path.getValue().properties()) {
        if (said.getValue().has("responses")) {
          boolean takesBytes =
              said.getValue().at("/requestBody/content").has("application/octet-stream");
          calls.add(new Call(said.getKey().toUpperCase(Locale.ROOT), path.getKey(), takesBytes));
        }
      }
    }
    return calls;
  }

  private static String openApi() {
    return RestAssured.given()
        .auth()
        .oauth2(Caller.token())
        .get("/q/openapi?format=json")
        .asString();
  }
}
