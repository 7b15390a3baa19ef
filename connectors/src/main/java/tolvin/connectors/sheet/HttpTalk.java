package tolvin.connectors.sheet;

import com.fasterxml.jackson.core.JsonProcessingException;
import com.fasterxml.jackson.databind.JsonNode;
import com.fasterxml.jackson.databind.ObjectMapper;
import com.fasterxml.jackson.databind.node.TextNode;
import java.io.IOException;
import java.net.ConnectException;
import java.net.URI;
import java.net.URLEncoder;
import java.net.http.HttpClient;
import java.net.http.HttpConnectTimeoutException;
import java.net.http.HttpRequest;
import java.net.http.HttpResponse;
import java.nio.charset.StandardCharsets;
import java.security.GeneralSecurityException;
import java.time.Clock;
import java.time.Duration;
import java.time.Instant;
import java.util.Base64;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.concurrent.CompletableFuture;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.ExecutionException;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.TimeoutException;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import tolvin.connectors.http.BoundedBody;
import tolvin.connectors.http.ServerTime;
import tolvin.connectors.shared.Certificates;
import tolvin.connectors.shared.Egress;
import tolvin.core.port.Connection;
import tolvin.core.port.PortException;
import tolvin.core.port.PortException.Kind;
import tolvin.core.sheet.Operation;
import tolvin.core.sheet.SystemSheet.Connects;
import tolvin.core.sheet.SystemSheet.Connects.With;
import tolvin.core.sheet.Template;

/**
 * Talks HTTP (RFC 9110) to a system: to its own host only, following no redirect, with a bound on
 * time and size, waiting for a while when it is asked to.
 */
final class HttpTalk {
  private static final ObjectMapper JSON = new ObjectMapper();
  private static final int LARGEST = 8 << 20;
  private static final int TRIES = 3;
  private static final Duration LONGEST_PAUSE = Duration.ofSeconds(5);
  private static final Pattern NEXT_LINK =
      Pattern.compile("<([^>]+)>\\s*;[^,]*\\brel\\s*=\\s*\"?next\"?");

  private final Clock clock;
  private final Duration patience;
  private final Egress egress;
  private final Map<Client, HttpClient> clients;
  private final Map<Client, Token> tokens;

  /** Waits this long for each answer. */
  HttpTalk(Clock clock, Duration patience, Egress egress) {
    this(clock, patience, egress, new ConcurrentHashMap<>(), new ConcurrentHashMap<>());
  }

  private HttpTalk(
      Clock clock,
      Duration patience,
      Egress egress,
      Map<Client, HttpClient> clients,
      Map<Client, Token> tokens) {
    this.clock = clock;
    this.egress = egress;
    this.patience = patience;
    this.clients = clients;
    this.tokens = tokens;
  }

  /** The same, with its connections and tokens, waiting this long for each answer. */
  HttpTalk within(Duration otherPatience) {
    return new HttpTalk(clock, otherPatience, egress, clients, tokens);
  }

  /** An access token and its end. */
  private record Token(String value, Instant until) {}

  /** Sends a request to where its template leads. */
  Answer send(Connection connection, Operation.Http request, Map<String, Object> values)
      throws PortException {
    return send(connection, request, values, Addresses.of(connection, request.path(), values));
  }

  /** Sends a request to an address that the system gave itself. */
  Answer follow(
      Connection connection, Operation.Http request, Map<String, Object> values, String address)
      throws PortException {
    URI base = Addresses.base(connection);
    return send(connection, request, values, Addresses.inside(connection, base, address));
  }

  private Answer send(
      Connection connection, Operation.Http request, Map<String, Object> values, URI uri)
      throws PortException {
    boolean reading = request.method().equals("GET");
    String tried = request.method() + " " + uri;
    boolean renewed = false;
    for (int attempt = 1; ; attempt++) {
      HttpRequest ready = request(connection, request, values, uri);
      HttpResponse<byte[]> response;
      try {
        response = exchange(client(connection), ready);
      } catch (IOException e) {
        if (reading && attempt < TRIES && !(e instanceof BoundedBody.TooLarge)) {
          pause(connection, Duration.ofMillis(100L << attempt));
          continue;
        }
        throw lost(connection, tried, reading, e);
      }
      int status = response.statusCode();
      if (status == 401 && connection.sheet().connects().with() == With.OAUTH2 && !renewed) {
        tokens.remove(Client.of(connection)); // it may have been taken back before its end
        renewed = true;
        continue;
      }
      boolean busy = status == 429 || status == 503 || reading && status >= 500;
      Duration asked = retryAfter(response).orElse(Duration.ofMillis(200L << attempt));
      if (busy && attempt < TRIES && asked.compareTo(LONGEST_PAUSE) <= 0) {
        pause(connection, asked);
        continue;
      }
      return answer(connection, tried, request, response);
    }
  }

  private Answer answer(
      Connection connection, String tried, Operation.Http request, HttpResponse<byte[]> response)
      throws PortException {
    int status = response.statusCode();
    if (status >= 300 && status < 400) {
      throw new PortException(
          Kind.NOT_ALLOWED,
          connection.name() + " answered " + tried + " by sending on to another address.",
          "Tolvin follows nobody elsewhere. Attach the system at the address where it really is.");
    }
    String text = without(connection, new String(response.body(), StandardCharsets.UTF_8));
    boolean good = status < 300;
    JsonNode body = TextNode.valueOf(text);
    if (!request.text() && !text.isBlank()) {
      try {
        body = JSON.readTree(text);
      } catch (JsonProcessingException notJson) {
        if (good) {
          throw new PortException(
              Kind.UNEXPECTED,
              connection.name()
                  + " answered "
                  + tried
                  + " with "
                  + response.headers().firstValue("Content-Type").orElse("something")
                  + " that is not JSON: "
                  + new Answer("", "", body, "", Optional.empty(), true).said(),
              "A sign-in page, or a proxy in between? Look at the system's address.");
        }
      }
    }
    return new Answer(
        tried,
        String.valueOf(status),
        body,
        next(response),
        ServerTime.ahead(response, clock),
        good);
  }

  private HttpResponse<byte[]> exchange(HttpClient client, HttpRequest request)
      throws IOException, PortException {
    egress.check(request.uri());
    CompletableFuture<HttpResponse<byte[]>> answer =
        client.sendAsync(request, info -> new BoundedBody(LARGEST));
    try {
      return answer.get(patience.toMillis(), TimeUnit.MILLISECONDS);
    } catch (TimeoutException e) {
      answer.cancel(true);
      throw new IOException("no whole answer within " + patience.toSeconds() + " s", e);
    } catch (InterruptedException e) {
      answer.cancel(true);
      Thread.currentThread().interrupt();
      throw new IOException("interrupted", e);
    } catch (ExecutionException e) {
      throw e.getCause() instanceof IOException io ? io : new IOException(e.getCause());
    }
  }

  private HttpRequest request(
      Connection connection, Operation.Http request, Map<String, Object> values, URI uri)
      throws PortException {
    HttpRequest.Builder builder = HttpRequest.newBuilder(uri).timeout(patience);
    if (request.body() == null) {
      builder.method(request.method(), HttpRequest.BodyPublishers.noBody());
    } else {
      Object filled = filled(request.body(), values);
      builder.header(
          "Content-Type",
          request.form() ? "application/x-www-form-urlencoded" : "application/json");
      builder.method(
          request.method(),
          HttpRequest.BodyPublishers.ofString(request.form() ? form(filled) : json(filled)));
    }
    builder.header("Accept", request.text() ? "text/plain, */*" : "application/json");
    request.headers().forEach((name, value) -> builder.header(name, line(value.fill(values))));
    Connects connects = connection.sheet().connects();
    switch (connects.with()) {
      case TOKEN ->
          builder.header(
              connects.header(),
              line(connects.value().fill(Map.of("secret", connection.secret()))));
      case BASIC -> builder.header("Authorization", basic(connection));
      case OAUTH2 -> builder.header("Authorization", "Bearer " + token(connection).value());
      default -> {
        // a certificate is shown by the connection itself
      }
    }
    return builder.build();
  }

  /** A body with the values in it; a field that consists of a missing value is left out. */
  static Object filled(Object body, Map<String, Object> values) {
    if (body instanceof Map<?, ?> map) {
      Map<String, Object> filled = new LinkedHashMap<>();
      map.forEach(
          (name, value) -> {
            Object inside = filled(value, values);
            if (inside != null) {
              filled.put(String.valueOf(name), inside);
            }
          });
      return filled;
    }
    if (body instanceof List<?> list) {
      return list.stream().map(item -> filled(item, values)).filter(i -> i != null).toList();
    }
    if (body instanceof Template template) {
      String only = template.only();
      return only.isEmpty() ? template.fill(values) : values.get(only);
    }
    return body;
  }

  private static String form(Object filled) {
    StringBuilder form = new StringBuilder();
    ((Map<?, ?>) filled)
        .forEach(
            (name, value) ->
                form.append(form.length() == 0 ? "" : "&")
                    .append(encoded(String.valueOf(name)))
                    .append('=')
                    .append(encoded(String.valueOf(value))));
    return form.toString();
  }

  private static String json(Object filled) {
    try {
      return JSON.writeValueAsString(filled);
    } catch (JsonProcessingException impossible) {
      throw new IllegalStateException("maps of texts can be written", impossible);
    }
  }

  /** A header's value is one line. */
  private static String line(String text) {
    return text.replaceAll("[\\r\\n\\x00]", "");
  }

  private static String basic(Connection connection) {
    String pair = connection.user() + ":" + connection.secret();
    return "Basic " + Base64.getEncoder().encodeToString(pair.getBytes(StandardCharsets.UTF_8));
  }

  private static String encoded(String text) {
    return URLEncoder.encode(text, StandardCharsets.UTF_8);
  }

  /** Client credentials given for an access token (RFC 6749 section 4.4). */
  private Token token(Connection connection) throws PortException {
    Token known = tokens.get(Client.of(connection));
    if (known != null && clock.instant().isBefore(known.until())) {
      return known;
    }
    Connects connects = connection.sheet().connects();
    URI uri = Addresses.of(connection, connects.tokens(), Map.of());
    String form =
        "grant_type=client_credentials"
            + (connects.scope().isEmpty() ? "" : "&scope=" + encoded(connects.scope()));
    HttpRequest request =
        HttpRequest.newBuilder(uri)
            .timeout(patience)
            .header("Content-Type", "application/x-www-form-urlencoded")
            .header("Authorization", basic(connection))
            .POST(HttpRequest.BodyPublishers.ofString(form))
            .build();
    try {
      HttpResponse<byte[]> response = exchange(client(connection), request);
      JsonNode body = JSON.readTree(response.body());
      String value = body.path("access_token").asText();
      if (response.statusCode() != 200 || value.isEmpty()) {
        throw new PortException(
            Kind.SIGN_IN_REFUSED,
            connection.name()
                + " gave no access token: POST "
                + uri
                + " was answered with "
                + response.statusCode()
                + " "
                + body.path("error").asText()
                + ".",
            "Look whether the client's secret is still good, and give the new one.");
      }
      long life = body.path("expires_in").asLong(60);
      Token fresh = new Token(value, clock.instant().plusSeconds(Math.max(1, life - 10)));
      tokens.put(Client.of(connection), fresh);
      return fresh;
    } catch (IOException e) {
      throw lost(connection, "POST " + uri, true, e);
    }
  }

  /** Whose token it is: nothing less than all of it, since another's token opens another's door. */
  private record Client(String address, String user, String secret, String trusted) {
    static Client of(Connection connection) {
      return new Client(
          connection.address(), connection.user(), connection.secret(), trustedBy(connection));
    }

    /** Never shows the secret. */
    @Override
    public String toString() {
      return user + " at " + address;
    }
  }

  private static String trustedBy(Connection connection) {
    return connection.settings().getOrDefault("trusted-certificate", "");
  }

  private HttpClient client(Connection connection) throws PortException {
    String trusted = trustedBy(connection);
    boolean shows = connection.sheet().connects().with() == With.CERTIFICATE;
    Client key = shows ? Client.of(connection) : new Client("", "", "", trusted);
    HttpClient known = clients.get(key);
    if (known != null) {
      return known;
    }
    HttpClient.Builder builder =
        HttpClient.newBuilder()
            .connectTimeout(patience)
            .version(HttpClient.Version.HTTP_1_1)
            .followRedirects(HttpClient.Redirect.NEVER);
    if (shows || !trusted.isEmpty()) {
      try {
        builder.sslContext(Certificates.context(shows ? connection.secret() : "", trusted));
      } catch (GeneralSecurityException | IOException e) {
        throw new PortException(
            Kind.SIGN_IN_REFUSED,
            connection.name() + ": a certificate or its private key cannot be read.",
            "Give both as PEM, the certificate first.");
      }
    }
    HttpClient made = builder.build();
    clients.put(key, made);
    return made;
  }

  private static PortException lost(
      Connection connection, String tried, boolean reading, IOException e) {
    String why = e.getMessage() == null ? e.getClass().getSimpleName() : e.getMessage();
    if (e instanceof BoundedBody.TooLarge) {
      return new PortException(
          Kind.UNEXPECTED,
          connection.name() + " answered " + tried + " with too much: " + why + ".",
          "Have the sheet ask for smaller pages.");
    }
    boolean unsent = e instanceof ConnectException || e instanceof HttpConnectTimeoutException;
    if (reading || unsent) {
      return new PortException(
          Kind.UNREACHABLE,
          connection.name() + " cannot be reached: " + tried + ": " + why + ".",
          "It is tried again by itself. Look whether the system runs, and at its address.");
    }
    return new PortException(
        Kind.UNKNOWN_OUTCOME,
        connection.name() + " never answered " + tried + ": " + why + ".",
        "It may or may not have been done; it is looked at before anything else.");
  }

  private void pause(Connection connection, Duration pause) throws PortException {
    try {
      Thread.sleep(pause.toMillis());
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
      throw new PortException(
          Kind.UNREACHABLE, connection.name() + ": interrupted.", "It is tried again by itself.");
    }
  }

  /** Seconds or a date (RFC 9110 section 10.2.3). */
  private Optional<Duration> retryAfter(HttpResponse<?> response) {
    return response
        .headers()
        .firstValue("Retry-After")
        .flatMap(
            value -> {
              if (value.matches("\\d{1,9}")) {
                return Optional.of(Duration.ofSeconds(Long.parseLong(value)));
              }
              return ServerTime.date(value)
                  .map(at -> Duration.between(clock.instant(), at))
                  .map(d -> d.isNegative() ? Duration.ZERO : d);
            });
  }

  private static String next(HttpResponse<?> response) {
    for (String header : response.headers().allValues("Link")) {
      Matcher link = NEXT_LINK.matcher(header);
      if (link.find()) {
        return link.group(1);
      }
    }
    return "";
  }

  /** A system that echoes the secret must not get it into a sentence of ours. */
  private static String without(Connection connection, String text) {
    return connection.secret().length() < 4 ? text : text.replace(connection.secret(), "…");
  }
}
