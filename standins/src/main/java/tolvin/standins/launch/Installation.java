package tolvin.standins.launch;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardCopyOption;
import java.nio.file.attribute.PosixFilePermissions;
import java.util.List;
import java.util.Optional;
import java.util.Properties;

/**
 * One installation below one data directory, and what is remembered of it from start to start.
 *
 * <pre>
 * DATA/postgres/        the database
 * DATA/service/         master key, first sign-in
 * DATA/tls/             the authority that certifies the service, with --tls
 * DATA/demo/            the demo's SSH servers and their clients
 * DATA/logs/            a log for each part
 * DATA/start.properties ports, and the process of the start that runs
 * DATA/client.properties address and token for the command-line client
 * </pre>
 */
public record Installation(Path data) {
  private static final long LARGE_LOG = 20L * 1024 * 1024;

  /** Where the database is. */
  public Path postgres() {
    return data.resolve("postgres");
  }

  Path logs() {
    return data.resolve("logs");
  }

  Path service() {
    return data.resolve("service");
  }

  /** The authority that certifies the service, where it serves HTTPS. */
  Path tls() {
    return data.resolve("tls");
  }

  Path demo() {
    return data.resolve("demo");
  }

  Path uploads() {
    return data.resolve("demo/uploads.txt");
  }

  /**
   * Makes its directories, closed to everybody else: the user that runs the servers beneath may
   * pass through to its own, and list nothing.
   */
  void make() throws IOException {
    boolean othersRunServers = "root".equals(System.getProperty("user.name"));
    for (Path directory : List.of(data, logs(), service(), tls())) {
      Files.createDirectories(directory);
      boolean passed = directory.equals(data) && othersRunServers;
      Files.setPosixFilePermissions(
          directory, PosixFilePermissions.fromString(passed ? "rwx--x--x" : "rwx------"));
    }
  }

  /** The log of a part, which is appended to; one that has grown large is put aside first. */
  Path log(String name) throws IOException {
    Path log = logs().resolve(name + ".log");
    if (Files.exists(log) && Files.size(log) > LARGE_LOG) {
      Files.move(log, log.resolveSibling(name + ".log.1"), StandardCopyOption.REPLACE_EXISTING);
    }
    if (!Files.exists(log)) {
      Files.createFile(
          log, PosixFilePermissions.asFileAttribute(PosixFilePermissions.fromString("rw-------")));
    }
    return log;
  }

  /** The properties of a file; empty if there is none. */
  static Properties read(Path file) throws IOException {
    Properties properties = new Properties();
    if (Files.exists(file)) {
      try (var in = Files.newInputStream(file)) {
        properties.load(in);
      }
    }
    return properties;
  }

  Properties state() throws IOException {
    return read(data.resolve("start.properties"));
  }

  void remember(String name, String value) throws IOException {
    Properties state = state();
    if (value == null) {
      state.remove(name);
    } else {
      state.setProperty(name, value);
    }
    // renamed into place, so that a start that is killed leaves one or the other
    Path file = data.resolve("start.properties");
    Path next = data.resolve("start.properties.new");
    try (var out = Files.newOutputStream(next)) {
      state.store(out, null);
    }
    Files.move(next, file, StandardCopyOption.ATOMIC_MOVE);
  }

  /** The process that a name was remembered for, if it is still the one that was meant. */
  public Optional<ProcessHandle> process(String name) throws IOException {
    String value = state().getProperty(name);
    if (value == null) {
      return Optional.empty();
    }
    String[] parts = value.split(" ");
    return ProcessHandle.of(Long.parseLong(parts[0]))
        .filter(ProcessHandle::isAlive)
        .filter(p -> startOf(p).equals(parts[1]));
  }

  void rememberProcess(String name, ProcessHandle process) throws IOException {
    remember(name, process.pid() + " " + startOf(process));
  }

  private static String startOf(ProcessHandle process) {
    return process.info().startInstant().map(i -> String.valueOf(i.toEpochMilli())).orElse("0");
  }
}
