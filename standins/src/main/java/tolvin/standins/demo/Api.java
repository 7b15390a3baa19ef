package tolvin.standins.demo;

import com.fasterxml.jackson.databind.JsonNode;
import com.fasterxml.jackson.databind.ObjectMapper;
import java.io.IOException;
import java.net.URI;
import java.net.http.HttpClient;
import java.net.http.HttpRequest;
import java.net.http.HttpResponse;
import java.time.Duration;
import java.util.Map;
import java.util.Optional;

/** The service's HTTP API, as any client sees it. */
public final class Api {
  private static final ObjectMapper JSON = new ObjectMapper();

  private final HttpClient http =
      HttpClient.newBuilder().connectTimeout(Duration.ofSeconds(5)).build();
  private final String url;
  private final String token;

  /**
   * A client of the API.
   *
   * @param url the service's address
   * @param token an API token
   */
  public Api(String url, String token) {
    this.url = url;
    this.token = token;
  }

  /** An answer. */
  public record Answer(int status, JsonNode body) {}

  /** Sends a request and gives whatever comes back. */
  public Answer send(String method, String path, Object body) throws IOException {
    HttpRequest.Builder request =
        HttpRequest.newBuilder(URI.create(url + "/api/v1" + path))
            .timeout(Duration.ofSeconds(60))
            .header("Authorization", "Bearer " + token)
            .header("Content-Type", "application/json")
            .method(
                method,
                body == null
                    ? HttpRequest.BodyPublishers.noBody()
                    : HttpRequest.BodyPublishers.ofByteArray(JSON.writeValueAsBytes(body)));
    try {
      HttpResponse<String> response =
          http.send(request.build(), HttpResponse.BodyHandlers.ofString());
      String text = response.body();
      return new Answer(
          response.statusCode(), text.isBlank() ? JSON.nullNode() : JSON.readTree(text));
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
      throw new IOException("interrupted", e);
    }
  }

  /** The service's numbers, in the text form of Prometheus. */
  public String metrics() throws IOException {
    try {
      return http.send(
              HttpRequest.newBuilder(URI.create(url + "/q/metrics"))
                  .header("Authorization", "Bearer " + token)
                  .build(),
              HttpResponse.BodyHandlers.ofString())
          .body();
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
      throw new IOException("interrupted", e);
    }
  }

  /** Reads. */
  public JsonNode get(String path) throws IOException {
    return accepted("GET", path, null);
  }

  /** Creates or does something. */
  public JsonNode post(String path, Map<String, ?> body) throws IOException {
    return accepted("POST", path, body);
  }

  private JsonNode accepted(String method, String path, Object body) throws IOException {
    Answer answer = send(method, path, body);
    if (answer.status() >= 300) {
      throw new IOException(
          method
              + " "
              + path
              + ": "
              + answer.status()
              + " "
              + answer.body().path("detail").asText());
    }
    return answer.body();
  }

  /** The item of a list whose field has a value. */
  public Optional<JsonNode> find(String path, String field, String value) throws IOException {
    for (JsonNode item : get(path).path("items")) {
      if (item.path(field).asText().equals(value)) {
        return Optional.of(item);
      }
    }
    return Optional.empty();
  }
}
