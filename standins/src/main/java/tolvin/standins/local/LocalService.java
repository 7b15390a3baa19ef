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
import tolvin.standins.demo.Api;

/** The built service as a child process. */
public final class LocalService {
  private static final Duration STARTS_WITHIN = Duration.ofSeconds(90);

  /** Servers and stand-ins on this machine are destinations here. */
  public static final String LOOPBACK_TOO = "usual 127.0.0.0/8 [::1]";

  private LocalService() {}

  /** The command line that runs the service. */
  public static List<String> command(Path root, String... options) {
    List<String> command = new ArrayList<>();
    command.add(ProcessHandle.current().info().command().orElse("java"));
    command.addAll(List.of(options));
    command.add("-jar");
    command.add(root.resolve("service/target/quarkus-app/quarkus-run.jar").toString());
    return command;
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
    Ports.await(
        "the service answers", STARTS_WITHIN, () -> !service.isAlive() || Ports.answers(port));
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
