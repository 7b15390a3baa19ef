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
import java.util.Properties;
import tolvin.standins.local.LocalAuthority;

/** The service's HTTP API, as any client sees it. */
public final class Api {
  private static final ObjectMapper JSON = new ObjectMapper();
  private static final String PASSWORD_NEEDED = "urn:tolvin:problem:password-needed";

  private final HttpClient http;
  private final String url;
  private final Properties signIn;

  /**
   * A client of the API.
   *
   * @param url the service's address
   * @param signIn what the first start wrote: a token for most calls, login and password for those
   *     that ask for them
   */
  public Api(String url, Properties signIn) {
    this(url, signIn, Optional.empty());
  }

  /**
   * A client of the API over TLS.
   *
   * @param authority who has certified the service
   */
  public Api(String url, Properties signIn, Optional<LocalAuthority> authority) {
    this.url = url;
    this.signIn = signIn;
    HttpClient.Builder builder = HttpClient.newBuilder().connectTimeout(Duration.ofSeconds(5));
    authority.ifPresent(by -> builder.sslContext(by.believing()));
    this.http = builder.build();
  }

  /** An answer. */
  public record Answer(int status, JsonNode body) {}

  /** Sends a request and gives whatever comes back; signs in for what asks for the password. */
  public Answer send(String method, String path, Object body) throws IOException {
    Answer answer = answer(exchange(method, path, body, byToken()));
    if (answer.status() != 403 || !PASSWORD_NEEDED.equals(answer.body().path("type").asText())) {
      return answer;
    }
    Map<String, String> session = session();
    try {
      return answer(exchange(method, path, body, session));
    } finally {
      exchange("DELETE", "/session", null, session);
    }
  }

  /** What says who asks, with a token. */
  private Map<String, String> byToken() {
    return Map.of("Authorization", "Bearer " + signIn.getProperty("token"));
  }

  /**
   * What says who asks, in a session just begun: headers.
   *
   * @throws IOException if the sign-in is refused, or has to wait
   */
  public Map<String, String> session() throws IOException {
    HttpResponse<String> begun =
        exchange(
            "POST",
            "/session",
            Map.of(
                "login", signIn.getProperty("login"), "password", signIn.getProperty("password")),
            Map.of());
    if (begun.statusCode() != 200) {
      throw new IOException("the sign-in was answered with " + begun.statusCode());
    }
    String cookie = begun.headers().firstValue("Set-Cookie").orElse("").replaceAll(";.*", "");
    return Map.of("Cookie", cookie, "X-Tolvin-Csrf", answer(begun).body().path("csrf").asText());
  }

  private static Answer answer(HttpResponse<String> response) throws IOException {
    String text = response.body();
    return new Answer(
        response.statusCode(), text.isBlank() ? JSON.nullNode() : JSON.readTree(text));
  }

  private HttpResponse<String> exchange(
      String method, String path, Object body, Map<String, String> who) throws IOException {
    HttpRequest.Builder request =
        HttpRequest.newBuilder(URI.create(url + "/api/v1" + path))
            .timeout(Duration.ofSeconds(60))
            .header("Content-Type", "application/json")
            .method(
                method,
                body == null
                    ? HttpRequest.BodyPublishers.noBody()
                    : HttpRequest.BodyPublishers.ofByteArray(JSON.writeValueAsBytes(body)));
    who.forEach(request::header);
    try {
      return http.send(request.build(), HttpResponse.BodyHandlers.ofString());
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
                  .header("Authorization", "Bearer " + signIn.getProperty("token"))
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
