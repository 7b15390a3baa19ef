package tolvin.service;

import static org.assertj.core.api.Assertions.assertThat;

import com.fasterxml.jackson.databind.JsonNode;
import com.fasterxml.jackson.databind.ObjectMapper;
import io.restassured.RestAssured;
import io.restassured.filter.Filter;
import io.restassured.filter.FilterContext;
import io.restassured.response.Response;
import io.restassured.specification.FilterableRequestSpecification;
import io.restassured.specification.FilterableResponseSpecification;
import java.io.IOException;
import java.io.UncheckedIOException;
import java.net.URI;
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
      document =
          new OpenApiDocument(
              read(
                  RestAssured.given()
                      .auth()
                      .oauth2(Caller.token())
                      .get("/q/openapi?format=json")
                      .asString()));
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
}
