package tolvin.bench;

import com.fasterxml.jackson.databind.JsonNode;
import com.fasterxml.jackson.databind.ObjectMapper;
import java.io.IOException;
import java.net.URI;
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
import java.util.Properties;
import java.util.Random;
import java.util.Set;
import java.util.TreeMap;
import java.util.concurrent.ConcurrentHashMap;
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
  private static final int WORKERS = 4;
  private static final int MOST_WAITS = 60;

  private static final Pattern INSIDES =
      Pattern.compile(
          "[a-z]Exception\\b|\\bat (tolvin|java|io|org)\\.|org\\.hibernate|io\\.quarkus|java\\.lang"
              + "|SQLSTATE|org\\.postgresql|ERROR: ");

  private final String url;
  private final Properties signIn;
  private final Api api;
  private final ApiRequests requests;
  private final List<String> secrets;
  private final Map<Integer, AtomicInteger> statuses = new ConcurrentHashMap<>();
  private final Map<String, String> found = new ConcurrentHashMap<>();
  private final Set<String> answered = ConcurrentHashMap.newKeySet();

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
    this.api = new Api(url, signIn);
    this.secrets = secrets;
    this.requests =
        new ApiRequests(
            JSON.readTree(
                HttpClient.newHttpClient()
                    .send(
                        HttpRequest.newBuilder(URI.create(url + "/q/openapi?format=json"))
                            .header("Authorization", "Bearer " + signIn.getProperty("token"))
                            .build(),
                        HttpResponse.BodyHandlers.ofString())
                    .body()));
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
        fuzz.estate();
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
  private void estate() throws IOException {
    String line = ApiRequests.KEY_LINE;
    String person = added("identities", named("Isla Renwick", "person"));
    String job = added("identities", named("fuel-feed", "service-account"));
    String at =
        added(
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
        added("destinations/" + at + "/accounts", Map.of("login", "boats", "holds", 4));
    String key = added("keys", Map.of("identityId", job, "text", line, "custody", "machine"));
    added("placements", Map.of("keyId", key, "accountId", account, "title", "boats"));
    added("made-keys", Map.of("identityId", person));
    String integration =
        added(
            "integrations",
            Map.of("name", "fuel", "owner", "Isla Renwick", "environment", "production"));
    String seat =
        added(
            "integrations/" + integration + "/seats",
            Map.of("hostId", at, "login", "fuel", "path", "/k", "address", "10.0.0.1"));
    added("seats/" + seat + "/ties", Map.of("accountId", account, "expectedInterval", "PT1H"));
  }

  private static Map<String, Object> named(String name, String kind) {
    return Map.of("name", name, "kind", kind, "team", "Shore", "responsible", "Isla Renwick");
  }

  private String added(String path, Map<String, ?> body) throws IOException {
    String id = api.post("/" + path, body).path("id").asText();
    requests.remember(path, "\"id\":\"" + id + "\"");
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
    return new Outcome(counted, new TreeMap<>(found), answered.size(), requests.count());
  }

  private void work(int count, Random random) {
    HttpClient client = HttpClient.newBuilder().connectTimeout(Duration.ofSeconds(10)).build();
    Map<String, String> session = Map.of();
    for (int i = 0; i < count; i++) {
      try {
        if (i % 2000 == 0) {
          session = session(); // the password was given within the last minutes
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

  /** Links that are guessed count against the address, so that a sign-in may have to wait. */
  private Map<String, String> session() throws IOException, InterruptedException {
    for (int i = 0; ; i++) {
      try {
        return api.session();
      } catch (IOException wait) {
        if (i == MOST_WAITS) {
          throw wait;
        }
        TimeUnit.SECONDS.sleep(1);
      }
    }
  }

  private void one(HttpClient client, Map<String, String> session, Random random)
      throws IOException, InterruptedException {
    ApiRequests.Call call = requests.any(random);
    String address = requests.address(call, random);
    byte[] body = requests.body(call, random);
    HttpRequest.Builder request =
        HttpRequest.newBuilder(URI.create(url + address))
            .timeout(Duration.ofSeconds(90))
            .method(call.method().toUpperCase(), HttpRequest.BodyPublishers.ofByteArray(body));
    int who = random.nextInt(20);
    if (who < 12) {
      session.forEach(request::header);
    } else if (who < 19) {
      request.header("Authorization", "Bearer " + signIn.getProperty("token"));
    }
    boolean bytes = call.said().at("/requestBody/content").has("application/octet-stream");
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
  }

  private void judge(
      ApiRequests.Call call, String address, byte[] body, HttpResponse<byte[]> answer) {
    int status = answer.statusCode();
    statuses.computeIfAbsent(status, s -> new AtomicInteger()).incrementAndGet();
    String text = new String(answer.body(), StandardCharsets.UTF_8);
    String sent =
        call.method().toUpperCase()
            + " "
            + address
            + " "
            + new String(body, StandardCharsets.UTF_8)
            + " -> "
            + text.substring(0, Math.min(400, text.length()));
    if (status < 300) {
      answered.add(call.toString());
      requests.remember(call.path(), text);
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
}
