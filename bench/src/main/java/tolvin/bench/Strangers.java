package tolvin.bench;

import java.io.BufferedInputStream;
import java.io.IOException;
import java.io.InputStream;
import java.io.UncheckedIOException;
import java.net.InetSocketAddress;
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
import java.util.concurrent.TimeUnit;
import java.util.concurrent.atomic.AtomicBoolean;
import java.util.concurrent.atomic.AtomicInteger;
import java.util.regex.Matcher;
import java.util.regex.Pattern;

/** Those who want the service to stop, and have no account; see {@link LoadBench}. */
public final class Strangers {
  static final int SLOW = 500;
  static final int SIGN_INS = 100;
  static final int RUBBISH_A_SECOND = 1000;
  private static final int SENDERS = 50;
  private static final Pattern LENGTH = Pattern.compile("(?i)content-length: (\\d+)");
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
    for (int i = 0; i < SENDERS; i++) {
      int sender = i;
      threads.add(new Thread(() -> strangers.rubbish(sender)));
    }
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

  /** A share of the rubbish, from an address of its own. */
  private void rubbish(int sender) {
    long begun = System.nanoTime();
    long every = TimeUnit.SECONDS.toNanos(1) * SENDERS / RUBBISH_A_SECOND;
    Socket socket = new Socket();
    for (long i = 0; goesOn.get(); i++) {
      try {
        long pause = begun + i * every - System.nanoTime();
        if (pause > 0) {
          TimeUnit.NANOSECONDS.sleep(pause);
        }
        if (!socket.isConnected() || socket.isClosed()) {
          socket = new Socket();
          socket.bind(new InetSocketAddress("127.0.2." + (sender + 1), 0));
          socket.connect(new InetSocketAddress("127.0.0.1", port));
        }
        String path = RUBBISH[(int) (i % RUBBISH.length)];
        socket
            .getOutputStream()
            .write(
                ("GET " + path + " HTTP/1.1\r\nHost: x\r\n\r\n")
                    .getBytes(StandardCharsets.US_ASCII));
        count("rubbish " + answered(socket));
      } catch (IOException e) {
        count("rubbish without an answer");
        close(socket);
      } catch (InterruptedException e) {
        return;
      }
    }
  }

  /** Reads one answer, and gives its status; a connection whose end is not clear is closed. */
  private static String answered(Socket socket) throws IOException {
    InputStream in = new BufferedInputStream(socket.getInputStream());
    StringBuilder head = new StringBuilder();
    while (head.indexOf("\r\n\r\n") < 0) {
      int one = in.read();
      if (one < 0) {
        throw new IOException("closed");
      }
      head.append((char) one);
    }
    Matcher length = LENGTH.matcher(head);
    if (length.find() && head.indexOf("onnection: close") < 0) {
      in.readNBytes(Integer.parseInt(length.group(1)));
    } else {
      close(socket);
    }
    return head.substring(9, 12);
  }

  private static void close(Socket socket) {
    try {
      socket.close();
    } catch (IOException e) {
      throw new UncheckedIOException(e);
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
