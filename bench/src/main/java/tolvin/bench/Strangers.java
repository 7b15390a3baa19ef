package tolvin.bench;

import java.io.IOException;
import java.net.Socket;
import java.net.URI;
import java.net.http.HttpClient;
import java.net.http.HttpRequest;
import java.net.http.HttpResponse;
import java.nio.charset.StandardCharsets;
import java.time.Duration;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.TreeMap;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.Semaphore;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.atomic.AtomicBoolean;
import java.util.concurrent.atomic.AtomicInteger;

/** Those who want the service to stop, and have no account; see {@link LoadBench}. */
public final class Strangers {
  static final int SLOW = 500;
  static final int SIGN_INS = 100;
  static final int RUBBISH_A_SECOND = 1000;
  private static final String[] RUBBISH = {
    "/api/v1/keys",
    "/api/v1/users",
    "/nothing",
    "/reply/xyz",
    "/api/v1/session",
    "/q/openapi",
    "/%2e%2e/x"
  };

  private final int port;
  private final HttpClient client =
      HttpClient.newBuilder()
          .connectTimeout(Duration.ofSeconds(10))
          .version(HttpClient.Version.HTTP_1_1)
          .build();
  private final AtomicBoolean goesOn = new AtomicBoolean(true);
  private final Map<String, AtomicInteger> answers = new ConcurrentHashMap<>();

  private Strangers(int port) {
    this.port = port;
  }

  /** A process of strangers, which prints at its end what they were answered. */
  static Process begin(int port, int seconds) throws IOException {
    return new ProcessBuilder(
            "nice",
            "-n",
            "19",
            ProcessHandle.current().info().command().orElse("java"),
            "-Xmx256m",
            "-cp",
            System.getProperty("java.class.path"),
            Strangers.class.getName(),
            String.valueOf(port),
            String.valueOf(seconds))
        .redirectError(ProcessBuilder.Redirect.INHERIT)
        .start();
  }

  /** Port and seconds. */
  public static void main(String[] arguments) throws Exception {
    Strangers strangers = new Strangers(Integer.parseInt(arguments[0]));
    List<Thread> threads = new ArrayList<>();
    for (int i = 0; i < SLOW; i++) {
      threads.add(new Thread(strangers::trickle));
    }
    for (int i = 0; i < SIGN_INS; i++) {
      threads.add(new Thread(strangers::wrongPasswords));
    }
    threads.add(new Thread(strangers::rubbish));
    threads.forEach(Thread::start);
    TimeUnit.SECONDS.sleep(Long.parseLong(arguments[1]));
    strangers.goesOn.set(false);
    Map<String, Integer> counted = new TreeMap<>();
    strangers.answers.forEach((what, times) -> counted.put(what, times.get()));
    System.out.println(counted);
    System.exit(0);
  }

  private void count(String what) {
    answers.computeIfAbsent(what, w -> new AtomicInteger()).incrementAndGet();
  }

  /** A request whose body comes a byte at a time. */
  private void trickle() {
    byte[] head =
        ("POST /api/v1/session HTTP/1.1\r\nHost: 127.0.0.1\r\nContent-Type: application/json\r\n"
                + "Content-Length: 20000\r\n\r\n{")
            .getBytes(StandardCharsets.US_ASCII);
    while (goesOn.get()) {
      try (Socket socket = new Socket("127.0.0.1", port)) {
        socket.getOutputStream().write(head);
        while (goesOn.get()) {
          socket.getOutputStream().write(' ');
          Thread.sleep(1000);
        }
      } catch (IOException closed) {
        count("trickling connections closed");
        pause();
      } catch (InterruptedException e) {
        return;
      }
    }
  }

  private void wrongPasswords() {
    while (goesOn.get()) {
      String body = "{\"login\":\"admin\",\"password\":\"guessed\"}";
      ask("sign-in", "/api/v1/session", body);
      pause();
    }
  }

  private static void pause() {
    try {
      Thread.sleep(1000);
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
    }
  }

  private void rubbish() {
    Semaphore underWay = new Semaphore(200);
    long begun = System.nanoTime();
    for (long i = 0; goesOn.get(); i++) {
      String path = RUBBISH[(int) (i % RUBBISH.length)];
      long due = begun + i * TimeUnit.SECONDS.toNanos(1) / RUBBISH_A_SECOND;
      try {
        long pause = due - System.nanoTime();
        if (pause > 0) {
          TimeUnit.NANOSECONDS.sleep(pause);
        }
        underWay.acquire();
      } catch (InterruptedException e) {
        return;
      }
      client
          .sendAsync(
              HttpRequest.newBuilder(URI.create("http://127.0.0.1:" + port + path)).build(),
              HttpResponse.BodyHandlers.discarding())
          .whenComplete(
              (answer, failed) -> {
                underWay.release();
                count("rubbish " + (failed == null ? answer.statusCode() : "without an answer"));
              });
    }
  }

  private void ask(String what, String path, String body) {
    try {
      int status =
          client
              .send(
                  HttpRequest.newBuilder(URI.create("http://127.0.0.1:" + port + path))
                      .header("Content-Type", "application/json")
                      .timeout(Duration.ofSeconds(30))
                      .POST(HttpRequest.BodyPublishers.ofString(body))
                      .build(),
                  HttpResponse.BodyHandlers.discarding())
              .statusCode();
      count(what + " " + status);
    } catch (IOException e) {
      count(what + " without an answer");
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
    }
  }
}
