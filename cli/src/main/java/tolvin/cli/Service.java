package tolvin.cli;

import com.fasterxml.jackson.annotation.JsonInclude;
import com.fasterxml.jackson.databind.DeserializationFeature;
import com.fasterxml.jackson.databind.JavaType;
import com.fasterxml.jackson.databind.ObjectMapper;
import com.fasterxml.jackson.databind.SerializationFeature;
import com.fasterxml.jackson.databind.json.JsonMapper;
import com.fasterxml.jackson.datatype.jsr310.JavaTimeModule;
import java.io.IOException;
import java.io.InputStream;
import java.io.OutputStream;
import java.net.ConnectException;
import java.net.URI;
import java.net.URLEncoder;
import java.net.http.HttpClient;
import java.net.http.HttpRequest;
import java.net.http.HttpResponse;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.security.GeneralSecurityException;
import java.time.Duration;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.Map;
import java.util.Objects;
import java.util.Properties;
import java.util.UUID;
import java.util.function.Function;
import java.util.regex.Pattern;
import java.util.stream.Collectors;
import tolvin.api.Json;
import tolvin.api.Page;
import tolvin.api.ProblemView;
import tolvin.api.people.SessionView;
import tolvin.api.people.SignInRequest;
import tolvin.connectors.shared.Certificates;
import tolvin.core.key.PlainText;
import tolvin.core.key.PrivateKeyText;

/** The service's HTTP API. What it does is described by the OpenAPI document. */
final class Service {
  static final ObjectMapper JSON =
      JsonMapper.builder()
          .addModules(Json.words(), new JavaTimeModule())
          .disable(DeserializationFeature.FAIL_ON_UNKNOWN_PROPERTIES)
          .disable(SerializationFeature.WRITE_DATES_AS_TIMESTAMPS)
          .disable(SerializationFeature.WRITE_DURATIONS_AS_TIMESTAMPS)
          .serializationInclusion(JsonInclude.Include.NON_NULL)
          .build();

  /** The file that says where the service is, where the command line names one. */
  private static Path chosen;

  private static final int WHOLE_ID = 36;
  private static final int MOST_CANDIDATES = 20;
  private static final Pattern ID =
      Pattern.compile("[0-9a-fA-F]{8}(-[0-9a-fA-F]{4}){3}-[0-9a-fA-F]{12}");
  private static final int SHORTEST_ID = 8;
  private final HttpClient http;
  private static final String JSON_TYPE = "application/json";
  private static final String TOKEN = "Authorization";
  private static final String PASSWORD_NEEDED = "urn:tolvin:problem:password-needed";

  private final String url;

  /** What says who asks: a token, or a session's cookie with its own header beside. */
  private final Map<String, String> who;

  private Service(String url, Map<String, String> who, HttpClient http) {
    this.url = url;
    this.who = who;
    this.http = http;
  }

  /**
   * What connects to the service.
   *
   * @param authority a file with the certificates that are believed instead of the platform's, PEM;
   *     may be absent
   */
  private static HttpClient client(String authority) throws Refused {
    HttpClient.Builder builder = HttpClient.newBuilder().connectTimeout(Duration.ofSeconds(5));
    if (authority != null) {
      try {
        builder.sslContext(Certificates.context("", Files.readString(Path.of(authority))));
      } catch (IOException | GeneralSecurityException e) {
        throw new Refused(authority + " holds no certificates in PEM: " + e.getMessage());
      }
    }
    return builder.build();
  }

  /** Says where the service is, whatever the environment says. */
  static void choose(Path file) {
    chosen = file;
  }

  /** The service that the command line, the environment, or the start command's file names. */
  static Service open() throws Refused {
    boolean isChosen = chosen != null;
    String url = isChosen ? null : System.getenv("TOLVIN_URL");
    String token = isChosen ? null : System.getenv("TOLVIN_TOKEN");
    String authority = isChosen ? null : System.getenv("TOLVIN_AUTHORITY");
    Path file =
        isChosen ? chosen : Path.of(System.getProperty("tolvin.client", "client.properties"));
    if ((url == null || token == null) && Files.exists(file)) {
      Properties properties = new Properties();
      try (var in = Files.newInputStream(file)) {
        properties.load(in);
      } catch (IOException e) {
        throw new Refused(file + " cannot be read: " + e.getMessage());
      }
      url = url == null ? properties.getProperty("url") : url;
      token = token == null ? properties.getProperty("token") : token;
      authority = authority == null ? properties.getProperty("authority") : authority;
    }
    if (url == null || token == null) {
      throw new Refused(
          "No service is known. Start one with ./start, or set TOLVIN_URL and TOLVIN_TOKEN.");
    }
    return new Service(url, Map.of(TOKEN, "Bearer " + token), client(authority));
  }

  /** A service that is asked by nobody yet. */
  static Service at(String url) throws Refused {
    return new Service(url, Map.of(), client(System.getenv("TOLVIN_AUTHORITY")));
  }

  /** Something that a person does who is signed in. */
  @FunctionalInterface
  interface Work<T> {
    T with(Service you) throws Refused;
  }

  /** Signs a person in with their password for a piece of work, and out again. */
  <T> T signedIn(String login, char[] password, Work<T> work) throws Refused {
    Service you = signedIn(login, password);
    try {
      return work.with(you);
    } finally {
      you.delete("/session");
    }
  }

  private Service signedIn(String login, char[] password) throws Refused {
    HttpResponse<byte[]> answer =
        answer(
            request("/session")
                .header("Content-Type", JSON_TYPE)
                .POST(
                    HttpRequest.BodyPublishers.ofByteArray(
                        written(new SignInRequest(login, new String(password)))))
                .build());
    String cookie =
        answer.headers().allValues("Set-Cookie").stream()
            .map(text -> text.replaceAll(";.*", ""))
            .collect(Collectors.joining("; "));
    String csrf = read(answer.body(), SessionView.class).csrf();
    if (csrf == null || !(csrf + cookie).matches("[\\w=;. -]*")) {
      throw new Refused("The service at " + url + " began a session that is none of Tolvin's.");
    }
    return new Service(url, Map.of("Cookie", cookie, "X-Tolvin-Csrf", csrf), http);
  }

  private HttpRequest.Builder request(String path) {
    HttpRequest.Builder request = HttpRequest.newBuilder(URI.create(url + "/api/v1" + path));
    who.forEach(request::header);
    return request.timeout(Duration.ofMinutes(5));
  }

  private HttpResponse<byte[]> answer(HttpRequest request) throws Refused {
    return accepted(whatever(request));
  }

  private static HttpResponse<byte[]> accepted(HttpResponse<byte[]> response) throws Refused {
    if (response.statusCode() >= 400) {
      throw new Refused(said(response));
    }
    return response;
  }

  private HttpResponse<byte[]> whatever(HttpRequest request) throws Refused {
    try {
      HttpResponse<byte[]> response = http.send(request, HttpResponse.BodyHandlers.ofByteArray());
      return response;
    } catch (ConnectException e) {
      throw new Refused("The service at " + url + " does not answer. Start it with ./start.");
    } catch (IOException e) {
      throw new Refused("The service at " + url + " could not be asked: " + e.getMessage());
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
      throw new Refused("Interrupted.");
    }
  }

  <T> T get(String path, Class<T> type) throws Refused {
    return read(bytes(path), type);
  }

  /** A list that does not come in pages. */
  <T> List<T> list(String path, Class<T> type) throws Refused {
    return readList(bytes(path), type);
  }

  /** What a call answers, as it came. */
  byte[] bytes(String path) throws Refused {
    return send("GET", path, JSON_TYPE, new byte[0], null);
  }

  /** Copies what a call answers, however long it is. */
  void copy(String path, OutputStream out) throws Refused {
    try {
      HttpResponse<InputStream> response =
          http.send(request(path).build(), HttpResponse.BodyHandlers.ofInputStream());
      try (InputStream in = response.body()) {
        if (response.statusCode() >= 400) {
          in.readAllBytes();
          bytes(path); // says why, as for every other call
        }
        in.transferTo(out);
      }
    } catch (IOException e) {
      throw new Refused("The service at " + url + " could not be asked: " + e.getMessage());
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
      throw new Refused("Interrupted.");
    }
  }

  <T> T post(String path, Object body, Class<T> type) throws Refused {
    return read(postForBytes(path, body), type);
  }

  /** Posts, and gives back the list that comes. */
  <T> List<T> postForList(String path, Object body, Class<T> type) throws Refused {
    return readList(postForBytes(path, body), type);
  }

  /** Posts, and gives back what comes as it is. */
  byte[] postForBytes(String path, Object body) throws Refused {
    return send("POST", path, JSON_TYPE, written(body), null);
  }

  /** Posts bytes as they are. */
  <T> T postBytes(String path, byte[] content, Class<T> type) throws Refused {
    return read(send("POST", path, "application/octet-stream", content, null), type);
  }

  /** Puts a new version in the place of the one that is named. */
  <T> T put(String path, Object body, String version, Class<T> type) throws Refused {
    return read(send("PUT", path, JSON_TYPE, written(body), version), type);
  }

  /** Changes parts of the version that is named. */
  <T> T patch(String path, Object body, String version, Class<T> type) throws Refused {
    return read(send("PATCH", path, JSON_TYPE, written(body), version), type);
  }

  void delete(String path) throws Refused {
    send("DELETE", path, JSON_TYPE, new byte[0], null);
  }

  private static byte[] written(Object body) throws Refused {
    try {
      return body == null ? new byte[0] : JSON.writeValueAsBytes(body);
    } catch (IOException e) {
      throw new Refused("This cannot be sent: " + e.getMessage());
    }
  }

  private static <T> T read(byte[] answer, Class<T> type) throws Refused {
    return read(answer, JSON.constructType(type));
  }

  private static <T> List<T> readList(byte[] answer, Class<T> type) throws Refused {
    return read(answer, JSON.getTypeFactory().constructCollectionType(List.class, type));
  }

  private static <T> T read(byte[] answer, JavaType type) throws Refused {
    try {
      return answer.length == 0 ? null : JSON.readValue(answer, type);
    } catch (IOException e) {
      throw new Refused("The service's answer cannot be read: " + e.getMessage());
    }
  }

  /** One page of a list. */
  <T> Page<T> page(String path, Class<T> type) throws Refused {
    return read(bytes(path), JSON.getTypeFactory().constructParametricType(Page.class, type));
  }

  /** All items of a list, page after page. */
  <T> List<T> all(String path, Class<T> type) throws Refused {
    List<T> items = new ArrayList<>();
    String next = null;
    do {
      String separator = path.contains("?") ? "&" : "?";
      Page<T> page = page(next == null ? path : path + separator + "after=" + next, type);
      items.addAll(page.items());
      next = page.next();
    } while (next != null);
    return items;
  }

  /**
   * The one item of a list that a text names.
   *
   * @param noun what it is, for messages
   * @param id its id
   * @param names what else it may be named by; a fingerprint by a part of it as well
   */
  <T> T one(
      List<T> items,
      String noun,
      String text,
      Function<T, UUID> id,
      List<Function<T, String>> names)
      throws Refused {
    List<T> found = new ArrayList<>();
    for (T item : items) {
      if (id.apply(item).toString().equals(text)) {
        return item;
      }
      if (names.stream().map(n -> n.apply(item)).anyMatch(name -> isNamed(name, text))) {
        found.add(item);
      }
    }
    if (found.size() > 1) {
      throw new Refused(
          "More than one "
              + noun
              + " fits “"
              + text
              + "”. Give the id of one of these:\n"
              + found.stream()
                  .limit(MOST_CANDIDATES)
                  .map(item -> "  " + id.apply(item) + "  " + named(item, names))
                  .collect(Collectors.joining("\n"))
              + (found.size() > MOST_CANDIDATES
                  ? "\n  … and " + (found.size() - MOST_CANDIDATES) + " more"
                  : ""));
    }
    if (found.isEmpty()) {
      throw new Refused("There is no " + noun + " “" + text + "”. List the " + noun + "s to see.");
    }
    return found.get(0);
  }

  private static <T> String named(T item, List<Function<T, String>> names) {
    return names.stream()
        .map(name -> name.apply(item))
        .filter(Objects::nonNull)
        .map(PlainText::shown)
        .collect(Collectors.joining("  "));
  }

  /** Whether a text is a whole id. */
  static boolean isId(String text) {
    return ID.matcher(text).matches();
  }

  /** Whether a name is the text; a fingerprint, whether the text is a part of it. */
  static boolean isNamed(String name, String text) {
    return text.equals(name) || name != null && name.startsWith("SHA256:") && isPart(name, text);
  }

  /**
   * The id of the one item of a list that begins with what a table showed of it.
   *
   * @param text an id, or its first characters, at least eight
   */
  <T> String id(String path, Class<T> type, Function<T, UUID> idOf, String noun, String text)
      throws Refused {
    String begin = text.replace("…", "").strip();
    if (begin.length() == WHOLE_ID) {
      return begin;
    }
    String found = null;
    if (begin.length() >= SHORTEST_ID) {
      for (T item : all(path, type)) {
        String id = idOf.apply(item).toString();
        if (id.startsWith(begin)) {
          if (found != null) {
            throw new Refused(
                "More than one " + noun + " begins with " + begin + ". Give more of it.");
          }
          found = id;
        }
      }
    }
    if (found == null) {
      throw new Refused("There is no " + noun + " “" + text + "”. List the " + noun + "s to see.");
    }
    return found;
  }

  /** Removes the one item of a list that begins with what a table showed of it. */
  <T> void remove(String path, Class<T> type, Function<T, UUID> idOf, String noun, String text)
      throws Refused {
    delete(path + "/" + id(path, type, idOf, noun, text));
  }

  private static boolean isPart(String fingerprint, String text) {
    return text.length() >= 6
        && (fingerprint.startsWith(text) || fingerprint.startsWith("SHA256:" + text));
  }

  static String query(String value) {
    return URLEncoder.encode(value, StandardCharsets.UTF_8);
  }

  private static String said(HttpResponse<byte[]> response) throws Refused {
    ProblemView problem = read(response.body(), ProblemView.class);
    return problem == null || problem.detail() == null
        ? "The service answered " + response.statusCode() + "."
        : problem.detail() + (problem.remedy() == null ? "" : " " + problem.remedy());
  }

  /** Sends a request, but never a private key; asks for the password where the service does. */
  private byte[] send(String method, String path, String type, byte[] bytes, String version)
      throws Refused {
    var secret = PrivateKeyText.refuse(bytes);
    if (secret.isPresent()) {
      throw new Refused(secret.get().whole());
    }
    HttpRequest.Builder request =
        request(path)
            .header("Content-Type", type)
            .method(method, HttpRequest.BodyPublishers.ofByteArray(bytes));
    if (version != null) {
      request.header("If-Match", '"' + version + '"');
    }
    HttpResponse<byte[]> response = whatever(request.build());
    if (response.statusCode() == 403 && who.containsKey(TOKEN) && asksForPassword(response)) {
      return asPerson(you -> you.send(method, path, type, bytes, version));
    }
    return accepted(response).body();
  }

  private static boolean asksForPassword(HttpResponse<byte[]> response) throws Refused {
    ProblemView problem = read(response.body(), ProblemView.class);
    return problem != null && PASSWORD_NEEDED.equals(problem.type());
  }

  /** The person whose token it is, signed in for one call. */
  private <T> T asPerson(Work<T> work) throws Refused {
    String login = get("/session", SessionView.class).login();
    String file = System.getenv("TOLVIN_PASSWORD_FILE");
    if (file == null && System.console() == null) {
      throw new Refused(
          "This asks for the password of "
              + login
              + ", and nobody can be asked here. Run it on a terminal, or name a file in"
              + " TOLVIN_PASSWORD_FILE whose first line is the password.");
    }
    char[] password = Secret.ask("Password of " + login, file);
    try {
      return signedIn(login, password, work);
    } finally {
      Arrays.fill(password, '\0');
    }
  }
}
