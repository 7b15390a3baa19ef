package tolvin.e2e;

import com.fasterxml.jackson.databind.JsonNode;
import com.fasterxml.jackson.databind.ObjectMapper;
import java.io.IOException;
import java.io.UncheckedIOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.attribute.PosixFilePermissions;
import java.time.Duration;
import java.util.ArrayList;
import java.util.List;
import java.util.Properties;
import java.util.concurrent.TimeUnit;
import tolvin.standins.demo.Api;
import tolvin.standins.local.Ports;

/**
 * A whole installation with the demo, started with {@code ./start} as a user would; one for all
 * tests.
 */
final class Site {
  private static final Path ROOT = Path.of(System.getProperty("tolvin.root"));

  /** For what hangs; far longer than anything takes on a busy machine. */
  private static final Duration PATIENCE = Duration.ofMinutes(15);

  private static Site site;
  private static RuntimeException failure;

  private final Path data;
  private final int port;

  private Site(Path data, int port) {
    this.data = data;
    this.port = port;
  }

  /**
   * The running installation, started when it is first asked for and stopped at the end. One that
   * failed to start is not tried again for the next test.
   */
  static synchronized Site get() {
    if (failure != null) {
      throw failure;
    }
    if (site == null) {
      Site started = new Site(directory(), Ports.freeRow());
      Runtime.getRuntime().addShutdownHook(new Thread(started::stop));
      try {
        started.start();
      } catch (RuntimeException e) {
        failure = e;
        throw e;
      }
      site = started;
    }
    return site;
  }

  private void start() {
    Ran ran = run("./start", "--detach", "--port", String.valueOf(port));
    if (ran.status() != 0) {
      throw new IllegalStateException("./start failed:\n" + ran.text());
    }
  }

  private void stop() {
    run("./start", "stop");
    try (var all = Files.walk(data)) {
      all.sorted(java.util.Comparator.reverseOrder()).forEach(path -> path.toFile().delete());
    } catch (IOException e) {
      throw new UncheckedIOException(e);
    }
  }

  /** The first of its ports. */
  int port() {
    return port;
  }

  /** A new directory that the database's user can reach. */
  static Path directory() {
    try {
      Path directory = Files.createTempDirectory("tolvin-e2e");
      Files.setPosixFilePermissions(directory, PosixFilePermissions.fromString("rwxr-xr-x"));
      return directory;
    } catch (IOException e) {
      throw new UncheckedIOException(e);
    }
  }

  /** A command that came to its end. */
  record Ran(int status, String out, String err) {
    String text() {
      return out + err;
    }
  }

  /** Runs a command from the project's root. */
  Ran run(String... command) {
    return fed("", command);
  }

  /** Runs a command with standard input. */
  Ran fed(String input, String... command) {
    try {
      List<String> whole = new ArrayList<>(List.of(command));
      Path out = Files.createTempFile("tolvin-e2e", ".out");
      Path err = Files.createTempFile("tolvin-e2e", ".err");
      Path in = Files.writeString(Files.createTempFile("tolvin-e2e", ".in"), input);
      ProcessBuilder builder =
          new ProcessBuilder(whole)
              .directory(ROOT.toFile())
              .redirectInput(in.toFile())
              .redirectOutput(out.toFile())
              .redirectError(err.toFile());
      builder.environment().put("TOLVIN_DATA_DIR", data.toString());
      builder.environment().put("TOLVIN_PASSWORD_FILE", passwordFile("service/first-sign-in"));
      builder.environment().put("TOLVIN_JAVA_OPTIONS", "-XX:TieredStopAtLevel=1"); // starts faster
      Process process = builder.start();
      if (!process.waitFor(PATIENCE.toSeconds(), TimeUnit.SECONDS)) {
        process.descendants().forEach(ProcessHandle::destroyForcibly);
        process.destroyForcibly();
        throw new IllegalStateException("no end: " + whole + "\n" + Files.readString(out));
      }
      Ran ran = new Ran(process.exitValue(), Files.readString(out), Files.readString(err));
      for (Path file : List.of(out, err, in)) {
        Files.delete(file);
      }
      return ran;
    } catch (IOException e) {
      throw new UncheckedIOException(e);
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
      throw new IllegalStateException(e);
    }
  }

  /** Runs the command-line client. */
  Ran tolvin(String... arguments) {
    List<String> command = new ArrayList<>(List.of("./tolvin"));
    command.addAll(List.of(arguments));
    return run(command.toArray(String[]::new));
  }

  /** What a command of the client says as JSON. */
  JsonNode json(String... arguments) throws IOException {
    List<String> command = new ArrayList<>(List.of(arguments));
    command.addAll(List.of("--output", "json"));
    return new ObjectMapper().readTree(tolvin(command.toArray(String[]::new)).out());
  }

  String url() {
    return "http://127.0.0.1:" + port;
  }

  Path data() {
    return data;
  }

  Properties signIn() throws IOException {
    Properties properties = new Properties();
    try (var in = Files.newInputStream(data.resolve("service/first-sign-in.properties"))) {
      properties.load(in);
    }
    return properties;
  }

  /** A file whose first line is the password that a file of properties holds. */
  String passwordFile(String properties) throws IOException {
    Properties read = new Properties();
    Path from = data.resolve(properties + ".properties");
    if (Files.exists(from)) {
      try (var in = Files.newInputStream(from)) {
        read.load(in);
      }
    }
    Path file = Files.createDirectories(data.resolve("passwords")).resolve(from.getFileName());
    Files.writeString(file, read.getProperty("password", "") + "\n");
    return file.toString();
  }

  Api api() throws IOException {
    return new Api(url(), signIn());
  }

  /** What the uploading clients have counted: a line each, with succeeded= and failed=. */
  String uploads() {
    try {
      return Files.readString(data.resolve("demo/uploads.txt"));
    } catch (IOException e) {
      throw new UncheckedIOException(e);
    }
  }
}
