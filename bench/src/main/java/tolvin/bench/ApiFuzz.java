package tolvin.bench;

import com.fasterxml.jackson.databind.JsonNode;
import com.fasterxml.jackson.databind.ObjectMapper;
import com.fasterxml.jackson.databind.node.ArrayNode;
import com.fasterxml.jackson.databind.node.JsonNodeFactory;
import com.fasterxml.jackson.databind.node.ObjectNode;
import java.io.IOException;
import java.net.URI;
import java.net.URLEncoder;
import java.net.http.HttpClient;
import java.net.http.HttpRequest;
import java.net.http.HttpResponse;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Duration;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Properties;
import java.util.Queue;
import java.util.Random;
import java.util.Set;
import java.util.TreeMap;
import java.util.UUID;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.ConcurrentLinkedQueue;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.atomic.AtomicInteger;
import java.util.regex.Pattern;
import tolvin.standins.demo.Api;
import tolvin.standins.local.LocalPostgres;
import tolvin.standins.local.LocalService;
import tolvin.standins.local.Ports;

/**
 * Throws requests at every call of a running service, made from its own OpenAPI document by a seed:
 * bodies that fit the document and bodies that do not, parameters likewise, by a token, a session
 * and nobody. No answer may be an error of the service's own, hold a trace of its insides, or a
 * secret.
 */
public final class ApiFuzz {
  private static final ObjectMapper JSON = new ObjectMapper();
  private static final JsonNodeFactory MAKE = JsonNodeFactory.instance;
  private static final int WORKERS = 4;
  private static final int MOST_IDS = 400;
  private static final int DEEPEST = 6;

  /** Of the session that everything else rests on, or without an end. */
  private static final Set<String> LEFT_OUT =
      Set.of(
          "delete /api/v1/session",
          "put /api/v1/session/password",
          "delete /api/v1/sessions/{id}",
          "delete /api/v1/tokens/{id}",
          "post /api/v1/session",
          "post /api/v1/coffer/rewrap",
          "get /api/v1/events");

  private static final Pattern INSIDES =
      Pattern.compile(
          "[a-z]Exception\\b|\\bat (tolvin|java|io|org)\\.|org\\.hibernate|io\\.quarkus|java\\.lang"
              + "|SQLSTATE|org\\.postgresql|ERROR: ");

  private static final Pattern ID = Pattern.compile("\"(\\w*[iI]d)\":\"([0-9a-f-]{36})\"");

  /** What fields and parameters name. */
  private static final Map<String, String> WHOSE =
      Map.ofEntries(
          Map.entry("identityId", "identities"),
          Map.entry("identity", "identities"),
          Map.entry("accountId", "accounts"),
          Map.entry("account", "accounts"),
          Map.entry("destinationId", "destinations"),
          Map.entry("destination", "destinations"),
          Map.entry("hostId", "destinations"),
          Map.entry("routeId", "destinations"),
          Map.entry("signsInAtId", "destinations"),
          Map.entry("sheetId", "sheets"),
          Map.entry("keyId", "keys"),
          Map.entry("seatId", "seats"),
          Map.entry("findingId", "findings"));

  private static final int KEY_LINE = 0;

  private static final String[] TEXTS = {
    "ssh-ed25519 AAAAC3NzaC1lZDI1NTE5AAAAIPQLrDHqrrW0KkPvHTVN7wb3CHA44cr8y8RZ5Ob9LyWM x",
    "boats",
    "",
    " ",
    "a, \"b\"\nc",
    "'; drop table identity; --",
    "../../etc/passwd",
    "%00",
    "\u0000",
    "\u202e\ufeff\ud83d\udea2",
    "\ud800",
    "<script>alert(1)</script>",
    "=cmd|' /C calc'!A0",
    "{{7*7}}${7*7}",
    "SHA256:uNiVztksCsDhcc0u9e8BrqGLS3dGBzC4RN8BHWnsJ9k",
    "127.0.0.1",
    "http://127.0.0.1:1/",
    "jdbc:postgresql://127.0.0.1:1/x",
    "P1D",
    "PT5M",
    "Europe/Oslo",
    "9".repeat(400),
    "x".repeat(501),
    "(a+)+$"
  };

  private final String url;
  private final Properties signIn;
  private final JsonNode document;
  private final List<Call> calls = new ArrayList<>();
  private final List<String> secrets;
  private final Map<String, Queue<String>> ids = new ConcurrentHashMap<>();
  private final Map<Integer, AtomicInteger> statuses = new ConcurrentHashMap<>();
  private final Map<String, String> found = new ConcurrentHashMap<>();
  private final Set<String> answered = ConcurrentHashMap.newKeySet();
  private final AtomicInteger done = new AtomicInteger();

  private record Call(String method, String path, JsonNode said) {
    @Override
    public String toString() {
      return method.toUpperCase() + " " + path;
    }
  }

  /**
   * What came of it.
   *
   * @param statuses how often each status came
   * @param found the first request of each kind of mistake, by the mistake
   * @param answered how many calls were answered with 2xx at least once
   * @param calls how many there are
   */
  public record Outcome(
      Map<Integer, Integer> statuses, Map<String, String> found, int answered, int calls) {}

  private ApiFuzz(String url, Properties signIn, List<String> secrets) throws Exception {
    this.url = url;
    this.signIn = signIn;
    this.secrets = secrets;
    this.document =
        JSON.readTree(
            HttpClient.newHttpClient()
                .send(
                    HttpRequest.newBuilder(URI.create(url + "/q/openapi?format=json"))
                        .header("Authorization", "Bearer " + signIn.getProperty("token"))
                        .build(),
                    HttpResponse.BodyHandlers.ofString())
                .body());
    document
        .get("paths")
        .properties()
        .forEach(
            path ->
                path.getValue()
                    .properties()
                    .forEach(
                        said -> {
                          String name = said.getKey() + " " + path.getKey();
                          boolean isCall = said.getValue().has("responses");
                          if (isCall && !LEFT_OUT.contains(name)) {
                            calls.add(new Call(said.getKey(), path.getKey(), said.getValue()));
                          }
                        }));
  }

  /** Runs and prints the benchmark's number of requests. */
  static void run(Path directory, Path root) throws Exception {
    int count = Integer.getInteger("api-fuzz.requests", 50_000);
    long begun = System.nanoTime();
    Outcome outcome = against(directory.resolve("api-fuzz"), root, count, 15);
    double seconds = (System.nanoTime() - begun) / 1e9;
    System.out.printf(
        "API fuzzing from the OpenAPI document, seed 15: %,d requests to %d calls in %.0f s; %d calls"
            + " answered with 2xx at least once%n  statuses: %s%n  mistakes: %d%n",
        count,
        outcome.calls(),
        seconds,
        outcome.answered(),
        outcome.statuses(),
        outcome.found().size());
    outcome.found().forEach((mistake, request) -> System.out.println("  " + mistake + request));
  }

  /** Starts a service of its own, and throws a number of requests at it. */
  public static Outcome against(Path directory, Path root, int count, long seed) throws Exception {
    Files.createDirectories(directory);
    Path data = directory.resolve("service");
    int port = Ports.free();
    try (LocalPostgres postgres = LocalPostgres.forTests()) {
      Process service = LocalService.start(postgres, directory, root, port, "-Xmx512m");
      try {
        Properties signIn = LocalService.signIn(directory);
        List<String> secrets =
            List.of(
                signIn.getProperty("password"),
                signIn.getProperty("token"),
                postgres.password(),
                JSON.readTree(Files.readString(data.resolve("master-key.json")))
                    .at("/key/0/keyData/value")
                    .asText());
        ApiFuzz fuzz = new ApiFuzz("http://127.0.0.1:" + port, signIn, secrets);
        fuzz.estate(new Api("http://127.0.0.1:" + port, signIn));
        return fuzz.thrown(count, seed, directory.resolve("log"));
      } finally {
        service.destroy();
        if (!service.waitFor(30, TimeUnit.SECONDS)) {
          service.destroyForcibly();
        }
      }
    }
  }

  /** Something of most kinds, so that requests get further than to a missing row. */
  private void estate(Api api) throws IOException {
    String line = TEXTS[KEY_LINE];
    String person = added(api, "identities", named("Isla Renwick", "person"));
    String job = added(api, "identities", named("fuel-feed", "service-account"));
    String at =
        added(
            api,
            "destinations",
            Map.of(
                "name",
                "quay.example",
                "family",
                "sftp-server",
                "host",
                "127.0.0.1",
                "port",
                1,
                "hostKeys",
                List.of(line)));
    String account =
        added(api, "destinations/" + at + "/accounts", Map.of("login", "boats", "holds", 4));
    String key = added(api, "keys", Map.of("identityId", job, "text", line, "custody", "machine"));
    added(api, "placements", Map.of("keyId", key, "accountId", account, "title", "boats"));
    added(api, "made-keys", Map.of("identityId", person));
    String integration =
        added(
            api,
            "integrations",
            Map.of("name", "fuel", "owner", "Isla Renwick", "environment", "production"));
    String seat =
        added(
            api,
            "integrations/" + integration + "/seats",
            Map.of("hostId", at, "login", "fuel", "path", "/k", "address", "10.0.0.1"));
    added(api, "seats/" + seat + "/ties", Map.of("accountId", account, "expectedInterval", "PT1H"));
  }

  private static Map<String, Object> named(String name, String kind) {
    return Map.of("name", name, "kind", kind, "team", "Shore", "responsible", "Isla Renwick");
  }

  private String added(Api api, String path, Map<String, ?> body) throws IOException {
    String id = api.post("/" + path, body).path("id").asText();
    remember(kind(path), "\"id\":\"" + id + "\"");
    return id;
  }

  private Outcome thrown(int count, long seed, Path log) throws Exception {
    List<Thread> workers = new ArrayList<>();
    for (int i = 0; i < WORKERS; i++) {
      long own = seed * 1000 + i;
      Thread worker = new Thread(() -> work(count / WORKERS, new Random(own)));
      workers.add(worker);
      worker.start();
    }
    for (Thread worker : workers) {
      worker.join();
    }
    String said = Files.readString(log);
    String[] errors = said.split("Internal error \\w+: ");
    for (int i = 1; i < errors.length; i++) {
      String[] lines = errors[i].split("\n");
      String first = lines[0].substring(0, Math.min(300, lines[0].length()));
      found.put(
          "the log: " + first.replaceAll("[0-9a-f-]{8,}", "…"), lines.length > 1 ? lines[1] : "");
    }
    Map<Integer, Integer> counted = new TreeMap<>();
    statuses.forEach((status, times) -> counted.put(status, times.get()));
    return new Outcome(counted, new TreeMap<>(found), answered.size(), calls.size());
  }

  private void work(int count, Random random) {
    HttpClient client = HttpClient.newBuilder().connectTimeout(Duration.ofSeconds(10)).build();
    Map<String, String> session = Map.of();
    for (int i = 0; i < count; i++) {
      try {
        if (i % 2000 == 0) {
          session = session(client); // the password was given within the last minutes
        }
        one(client, session, random);
      } catch (IOException e) {
        found.putIfAbsent("no answer: ", e.toString());
      } catch (InterruptedException e) {
        Thread.currentThread().interrupt();
        return;
      }
    }
  }

  private Map<String, String> session(HttpClient client) throws IOException, InterruptedException {
    HttpResponse<String> begun = signIn(client);
    while (begun.statusCode() == 429) { // links that are guessed count against the address
      TimeUnit.SECONDS.sleep(1);
      begun = signIn(client);
    }
    return Map.of(
        "Cookie",
        begun.headers().firstValue("Set-Cookie").orElse("").replaceAll(";.*", ""),
        "X-Tolvin-Csrf",
        JSON.readTree(begun.body()).path("csrf").asText());
  }

  private HttpResponse<String> signIn(HttpClient client) throws IOException, InterruptedException {
    return client.send(
        HttpRequest.newBuilder(URI.create(url + "/api/v1/session"))
            .header("Content-Type", "application/json")
            .POST(
                HttpRequest.BodyPublishers.ofString(
                    JSON.writeValueAsString(
                        Map.of(
                            "login",
                            signIn.getProperty("login"),
                            "password",
                            signIn.getProperty("password")))))
            .build(),
        HttpResponse.BodyHandlers.ofString());
  }

  private void one(HttpClient client, Map<String, String> session, Random random)
      throws IOException, InterruptedException {
    Call call = calls.get(random.nextInt(calls.size()));
    String address = address(call, random);
    byte[] body = body(call, random);
    HttpRequest.Builder request =
        HttpRequest.newBuilder(URI.create(url + address))
            .timeout(Duration.ofSeconds(90))
            .method(call.method.toUpperCase(), HttpRequest.BodyPublishers.ofByteArray(body));
    int who = random.nextInt(20);
    if (who < 12) {
      session.forEach(request::header);
    } else if (who < 19) {
      request.header("Authorization", "Bearer " + signIn.getProperty("token"));
    }
    boolean bytes = call.said.at("/requestBody/content").has("application/octet-stream");
    if (body.length > 0) {
      request.header(
          "Content-Type",
          random.nextInt(40) == 0
              ? "text/plain"
              : bytes ? "application/octet-stream" : "application/json");
    }
    if (random.nextInt(3) == 0) {
      request.header("If-Match", random.nextBoolean() ? "\"1\"" : "\"0\"");
    }
    HttpResponse<byte[]> answer =
        client.send(request.build(), HttpResponse.BodyHandlers.ofByteArray());
    judge(call, address, body, answer);
    done.incrementAndGet();
  }

  private void judge(Call call, String address, byte[] body, HttpResponse<byte[]> answer) {
    int status = answer.statusCode();
    statuses.computeIfAbsent(status, s -> new AtomicInteger()).incrementAndGet();
    String text = new String(answer.body(), StandardCharsets.UTF_8);
    String sent =
        call.method.toUpperCase()
            + " "
            + address
            + " "
            + new String(body, StandardCharsets.UTF_8)
            + " -> "
            + text.substring(0, Math.min(400, text.length()));
    if (status < 300) {
      answered.add(call.toString());
      remember(kind(call.path), text);
    }
    boolean isGateway = status == 502 && text.contains("urn:tolvin:problem:");
    if (status >= 500 && !isGateway) {
      found.putIfAbsent(status + " from " + call + ": ", sent);
    }
    if (status >= 400) {
      String type = answer.headers().firstValue("Content-Type").orElse("");
      boolean isPage = address.startsWith("/reply/");
      if (!isPage && (!type.startsWith("application/problem+json") || !isProblem(text))) {
        found.putIfAbsent(status + " without a problem from " + call + ": ", type + " " + sent);
      }
      if (INSIDES.matcher(text).find()) {
        found.putIfAbsent("insides in " + call + ": ", sent);
      }
    }
    for (String secret : secrets) {
      if (text.contains(secret)) {
        found.putIfAbsent("a secret in " + call + ": ", sent);
      }
    }
  }

  private static boolean isProblem(String text) {
    try {
      JsonNode problem = JSON.readTree(text);
      return problem.path("type").asText().startsWith("urn:tolvin:problem:")
          && !problem.path("detail").asText().isBlank();
    } catch (IOException e) {
      return false;
    }
  }

  /** What the ids of a call's answers are ids of: the last word of its path. */
  private static String kind(String path) {
    String[] parts = path.replaceAll("/\\{.*?}", "").split("/");
    return parts[parts.length - 1];
  }

  /** Ids in an answer lead further. */
  private void remember(String kind, String text) {
    var id = ID.matcher(text);
    while (id.find()) {
      String of = id.group(1).equals("id") ? kind : WHOSE.getOrDefault(id.group(1), kind);
      Queue<String> known = ids.computeIfAbsent(of, k -> new ConcurrentLinkedQueue<>());
      if (known.size() < MOST_IDS && !known.contains(id.group(2))) {
        known.add(id.group(2));
      }
    }
  }

  private String id(String kind, Random random) {
    Queue<String> ofKind = ids.get(random.nextInt(6) == 0 ? "keys" : kind);
    Object[] known = ofKind == null ? new Object[0] : ofKind.toArray();
    return known.length == 0 || random.nextInt(8) == 0
        ? new UUID(random.nextLong(), random.nextLong()).toString()
        : (String) known[random.nextInt(known.length)];
  }

  private String address(Call call, Random random) {
    String path = call.path;
    StringBuilder query = new StringBuilder();
    for (JsonNode parameter : call.said.path("parameters")) {
      String name = parameter.path("name").asText();
      String before = call.path.replaceAll("/\\{" + name + "}.*", "");
      String value =
          parameter.path("schema").path("format").asText().equals("uuid") || name.equals("id")
              ? id(WHOSE.getOrDefault(name, kind(before)), random)
              : parameter(parameter.path("schema"), random);
      if (parameter.path("in").asText().equals("path")) {
        String shown = value.isBlank() || value.matches("\\.+") ? "x" : value;
        path = path.replace("{" + name + "}", encoded(shown));
      } else if (parameter.path("in").asText().equals("query") && random.nextBoolean()) {
        query.append(query.isEmpty() ? "?" : "&").append(name).append('=').append(encoded(value));
      }
    }
    return path.replaceAll("\\{.*?}", "x") + query;
  }

  private static String encoded(String value) {
    return URLEncoder.encode(value, StandardCharsets.UTF_8).replace("+", "%20");
  }

  private String parameter(JsonNode schema, Random random) {
    JsonNode value = value(schema, random, 0);
    return random.nextInt(4) == 0 || !value.isValueNode() ? text(random) : value.asText();
  }

  private byte[] body(Call call, Random random) throws IOException {
    JsonNode content = call.said.at("/requestBody/content");
    if (content.isMissingNode()) {
      return new byte[0];
    }
    if (content.has("application/octet-stream")) {
      byte[] bytes = new byte[random.nextInt(300)];
      random.nextBytes(bytes);
      return random.nextBoolean() ? text(random).getBytes(StandardCharsets.UTF_8) : bytes;
    }
    JsonNode body = value(content.at("/application~1json/schema"), random, 0);
    return switch (random.nextInt(10)) {
      case 0 -> JSON.writeValueAsBytes(mutated(body, random));
      case 1 -> JSON.writeValueAsBytes(mutated(mutated(body, random), random));
      case 2 -> cut(JSON.writeValueAsBytes(body), random);
      default -> JSON.writeValueAsBytes(body);
    };
  }

  private static byte[] cut(byte[] bytes, Random random) {
    return switch (random.nextInt(4)) {
      case 0 -> new byte[0];
      case 1 -> "null".getBytes(StandardCharsets.UTF_8);
      case 2 -> ("[".repeat(2000)).getBytes(StandardCharsets.UTF_8);
      default -> java.util.Arrays.copyOf(bytes, random.nextInt(bytes.length + 1));
    };
  }

  /** One place of it made into something else. */
  private JsonNode mutated(JsonNode node, Random random) {
    if (node instanceof ObjectNode object && !object.isEmpty() && random.nextInt(6) > 0) {
      List<String> names = new ArrayList<>();
      object.fieldNames().forEachRemaining(names::add);
      String name = names.get(random.nextInt(names.size()));
      switch (random.nextInt(6)) {
        case 0 -> object.remove(name);
        case 1 -> object.set("surplus", MAKE.textNode("x"));
        case 2 -> object.putNull(name);
        default -> object.set(name, mutated(object.get(name), random));
      }
      return object;
    }
    if (node instanceof ArrayNode array && !array.isEmpty() && random.nextBoolean()) {
      int at = random.nextInt(array.size());
      array.set(at, mutated(array.get(at), random));
      return array;
    }
    return switch (random.nextInt(8)) {
      case 0 -> MAKE.numberNode(Long.MAX_VALUE);
      case 1 -> MAKE.numberNode(-1);
      case 2 -> MAKE.booleanNode(true);
      case 3 -> MAKE.arrayNode().add(1);
      case 4 -> MAKE.objectNode().put("x", 1);
      case 5 -> MAKE.nullNode();
      case 6 -> MAKE.numberNode(1e300);
      default -> MAKE.textNode(text(random));
    };
  }

  private JsonNode value(JsonNode said, Random random, int depth) {
    JsonNode schema =
        said.has("$ref")
            ? document
                .at("/components/schemas")
                .get(said.get("$ref").asText().replaceAll(".*/", ""))
            : said;
    if (schema.has("enum")) {
      return schema.get("enum").get(random.nextInt(schema.get("enum").size()));
    }
    String type =
        schema.path("type").isArray()
            ? schema.path("type").get(0).asText()
            : schema.path("type").asText();
    return switch (type) {
      case "object" -> object(schema, random, depth);
      case "array" -> {
        ArrayNode items = MAKE.arrayNode();
        for (int i = random.nextInt(3); i > 0 && depth < DEEPEST; i--) {
          items.add(value(schema.path("items"), random, depth + 1));
        }
        yield items;
      }
      case "boolean" -> MAKE.booleanNode(random.nextBoolean());
      case "integer" -> MAKE.numberNode(random.nextInt(4) == 0 ? random.nextInt() : 1);
      case "number" -> MAKE.numberNode(random.nextDouble());
      default -> MAKE.textNode(formatted(schema.path("format").asText(), random));
    };
  }

  private ObjectNode object(JsonNode schema, Random random, int depth) {
    ObjectNode object = MAKE.objectNode();
    Set<String> required = ConcurrentHashMap.newKeySet();
    schema.path("required").forEach(name -> required.add(name.asText()));
    schema
        .path("properties")
        .properties()
        .forEach(
            field -> {
              if (required.contains(field.getKey()) || random.nextInt(3) > 0) {
                object.set(field.getKey(), named(field.getKey(), field.getValue(), random, depth));
              }
            });
    Optional.of(schema.path("additionalProperties"))
        .filter(JsonNode::isObject)
        .ifPresent(more -> object.set("more", value(more, random, depth + 1)));
    return object;
  }

  /** What would rarely come about by chance, so that requests get further. */
  private JsonNode named(String name, JsonNode schema, Random random, int depth) {
    if (WHOSE.containsKey(name)) {
      return MAKE.textNode(id(WHOSE.get(name), random));
    }
    if (random.nextInt(3) > 0) {
      switch (name) {
        case "line", "key", "text" -> {
          return MAKE.textNode(TEXTS[KEY_LINE]);
        }
        case "host" -> {
          return MAKE.textNode("127.0.0.1");
        }
        case "port" -> {
          return MAKE.numberNode(1);
        }
        case "name", "login", "title", "reason", "team", "responsible", "owner" -> {
          return MAKE.textNode("n" + random.nextInt(100_000));
        }
        case "life", "propagation", "every", "expectedInterval", "longestSession" -> {
          return MAKE.textNode("PT" + (1 + random.nextInt(900)) + "M");
        }
        default -> {
          return value(schema, random, depth + 1);
        }
      }
    }
    return value(schema, random, depth + 1);
  }

  private String formatted(String format, Random random) {
    return switch (format) {
      case "uuid" -> id("keys", random);
      case "date-time" ->
          random.nextBoolean() ? "2030-03-01T11:00:00Z" : "+1000000-01-01T00:00:00Z";
      case "duration" -> "PT" + random.nextInt(5000) + "H";
      default -> text(random);
    };
  }

  private static String text(Random random) {
    return TEXTS[random.nextInt(TEXTS.length)];
  }
}
