package tolvin.standins.local;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Duration;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Properties;
import java.util.concurrent.locks.LockSupport;
import java.util.function.Consumer;
import tolvin.standins.demo.Api;

/** The built service as a child process. */
public final class LocalService {
  private static final Duration GIVES_UP_AFTER = Duration.ofSeconds(90);
  private static final Duration LOOKS_EVERY = Duration.ofSeconds(10);

  /** What a service that is starting takes of a core in that time, even on a crowded machine. */
  private static final Duration WORK = Duration.ofMillis(400);

  /** Servers and stand-ins on this machine are destinations here. */
  public static final String LOOPBACK_TOO = "usual 127.0.0.0/8 [::1]";

  private LocalService() {}

  /**
   * The command line that runs the service, with the archive of its classes if there is one: with
   * it, a start takes half the time.
   */
  public static List<String> command(Path root, String... options) {
    List<String> command = new ArrayList<>();
    command.add(ProcessHandle.current().info().command().orElse("java"));
    if (isArchived(root)) {
      command.addAll(
          List.of("-Xlog:disable", "-Xshare:auto", "-XX:SharedArchiveFile=" + archive(root)));
    }
    command.addAll(List.of(options));
    command.add("-jar");
    command.add(jar(root).toString());
    return command;
  }

  private static Path jar(Path root) {
    return root.resolve("service/target/tolvin-service-runner.jar");
  }

  private static Path archive(Path root) {
    return root.resolve("service/target/classes.jsa");
  }

  private static boolean isArchived(Path root) {
    return archive(root).toFile().lastModified() > jar(root).toFile().lastModified();
  }

  /**
   * Writes the archive of the classes that a service loads (JEP 350), by running one on a database
   * of its own; it holds for the jars as they are then.
   *
   * @param arguments the project's root
   */
  public static void main(String... arguments) throws Exception {
    Path root = Path.of(arguments[0]);
    Path directory = Files.createTempDirectory("tolvin-archive");
    Path made = Files.createTempFile(archive(root).getParent(), "classes", ".jsa");
    Files.delete(made);
    Files.deleteIfExists(archive(root));
    try (LocalPostgres postgres = LocalPostgres.forTests()) {
      int port = Ports.free();
      Process service =
          start(
              postgres,
              directory,
              root,
              port,
              "-XX:TieredStopAtLevel=1",
              "-XX:ArchiveClassesAtExit=" + made);
      if (service.isAlive()) {
        Api api = api(directory, port);
        for (String path : List.of("/today", "/keys", "/accounts", "/journal", "/rotations")) {
          api.get(path);
        }
      }
      service.destroy();
      service.waitFor();
    }
    if (!Files.exists(made)) {
      throw new IOException("no archive came of it.\n" + Tail.of(directory.resolve("log"), 15));
    }
    Files.move(made, archive(root));
  }

  /** The environment that tells the service where its database and data are. */
  public static Map<String, String> environment(LocalPostgres postgres, Path data, int port) {
    Map<String, String> environment = new HashMap<>();
    environment.put("TOLVIN_PORT", String.valueOf(port));
    environment.put("TOLVIN_DATA", data.toString());
    environment.put("TOLVIN_EGRESS", LOOPBACK_TOO);
    postgres
        .settings()
        .forEach(
            (name, value) ->
                environment.put(name.replace('.', '_').toUpperCase(Locale.ROOT), value));
    return environment;
  }

  /** Waits until a started service answers, or has died. */
  public static void await(Process service, int port) {
    await(service, port, waited -> {});
  }

  /**
   * Likewise, for as long as the service works at starting, which the time of its processor shows.
   *
   * @param still is told again and again how long it has been by now
   * @throws IllegalStateException if it does nothing any more, and does not answer either
   */
  public static void await(Process service, int port, Consumer<Duration> still) {
    long begun = System.nanoTime();
    long looked = begun;
    long worked = begun;
    Duration before = Duration.ZERO;
    while (service.isAlive() && !Ports.answers(port)) {
      long now = System.nanoTime();
      if (now - looked > LOOKS_EVERY.toNanos()) {
        looked = now;
        Duration taken = service.info().totalCpuDuration().orElse(Duration.ZERO);
        if (taken.minus(before).compareTo(WORK) > 0) {
          worked = now;
        }
        before = taken;
        still.accept(Duration.ofNanos(now - begun));
      }
      if (now - worked > GIVES_UP_AFTER.multipliedBy(Ports.PATIENCE).toNanos()) {
        throw new IllegalStateException(
            "the service does not answer, and has done nothing for "
                + Duration.ofNanos(now - worked).toSeconds()
                + " s");
      }
      LockSupport.parkNanos(Duration.ofMillis(20).toNanos());
    }
  }

  /**
   * Starts the service for a test or a measurement; its log is {@code directory/log}.
   *
   * @param options options of the Java process
   */
  public static Process start(
      LocalPostgres postgres, Path directory, Path root, int port, String... options)
      throws IOException {
    Process process = launch(postgres, directory, root, port, options);
    await(process, port);
    return process;
  }

  /** Likewise, without waiting until it answers. */
  public static Process launch(
      LocalPostgres postgres, Path directory, Path root, int port, String... options)
      throws IOException {
    ProcessBuilder builder =
        new ProcessBuilder(command(root, options))
            .redirectErrorStream(true)
            .redirectOutput(ProcessBuilder.Redirect.appendTo(directory.resolve("log").toFile()));
    builder.environment().putAll(environment(postgres, directory.resolve("service"), port));
    Process process = builder.start();
    Runtime.getRuntime().addShutdownHook(new Thread(process::destroyForcibly));
    return process;
  }

  /** What the first start of a service that was started so wrote: login, password, a token. */
  public static Properties signIn(Path directory) throws IOException {
    Properties signIn = new Properties();
    try (var in = Files.newInputStream(directory.resolve("service/first-sign-in.properties"))) {
      signIn.load(in);
    }
    return signIn;
  }

  /** A client of a service that was started so. */
  public static Api api(Path directory, int port) throws IOException {
    return new Api("http://127.0.0.1:" + port, signIn(directory));
  }
}
