package tolvin.connectors.holder;

import java.io.BufferedReader;
import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.nio.file.Path;
import java.time.Duration;
import java.util.ArrayList;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.concurrent.CompletableFuture;
import java.util.concurrent.TimeUnit;
import tolvin.connectors.agent.AgentClient;
import tolvin.core.diagnosis.Circumstances.ClientFile;
import tolvin.core.diagnosis.Circumstances.ClientSide;
import tolvin.core.diagnosis.Circumstances.Outcome;
import tolvin.core.key.Fingerprint;
import tolvin.core.key.PublicKey;

/**
 * The machine's own OpenSSH client, with its own configuration, files and agent: what an
 * integration or a person really signs in with. Asks for nothing: it runs as a job in the night
 * would.
 */
public final class OwnClient {
  private static final int MOST_LINES = 2000;
  private static final String SSH = "ssh";

  private final List<String> destination;
  private final Map<String, String> environment;
  private final Duration patience;

  /**
   * A client for a destination.
   *
   * @param destination options and destination as on a command line, such as {@code -p 22
   *     isla@host}
   * @param environment variables besides those of this process
   * @param patience how long a sign-in may take, somebody's finger included
   */
  public OwnClient(List<String> destination, Map<String, String> environment, Duration patience) {
    this.destination = List.copyOf(destination);
    this.environment = Map.copyOf(environment);
    this.patience = patience;
  }

  /**
   * A sign-in that was tried.
   *
   * @param outcome how far it came
   * @param seen what the machine shows of it
   * @param answer the last that the client printed that was no debugging
   */
  public record Tried(Outcome outcome, ClientSide seen, String answer) {}

  /** What the client would do, by its own account (ssh -G). */
  public record Settings(
      String user,
      String host,
      int port,
      List<Path> files,
      String agent,
      List<String> algorithms) {}

  /**
   * Signs in and leaves again.
   *
   * @throws IOException if the machine has no OpenSSH client
   */
  public Tried tryOut() throws IOException {
    List<String> command = new ArrayList<>(List.of(SSH, "-v", "-T"));
    if (!environment.containsKey("SSH_ASKPASS")) {
      command.addAll(List.of("-o", "BatchMode=yes"));
    }
    command.addAll(List.of("-o", "ConnectTimeout=10", "-o", "NumberOfPasswordPrompts=1"));
    command.addAll(List.of("-o", "ControlMaster=no", "-o", "ControlPath=none"));
    command.add("-N"); // no session: whatever the account runs at a sign-in is not run
    command.addAll(destination);
    List<String> lines = run(command, "Authenticated to ");
    ClientSide seen = seen(lines);
    Outcome outcome = seen.outcome();
    String answer =
        outcome == Outcome.ACCEPTED
            ? "authenticated"
            : lines.stream()
                .filter(line -> !line.startsWith("debug1: ") && !line.isBlank())
                .reduce("", (before, last) -> last);
    return new Tried(outcome, seen, answer.strip());
  }

  private ClientSide seen(List<String> lines) throws IOException {
    Settings settings = settings();
    List<ClientFile> files = new ArrayList<>();
    for (Path path : settings.files()) {
      PrivateFileLook look = PrivateFileLook.at(path);
      files.add(
          new ClientFile(
              path.toString(),
              look.kind(),
              look.mode(),
              look.encrypted(),
              look.kind().equals("private")
                  ? look.likelyKey().map(PublicKey::fingerprint)
                  : java.util.Optional.empty(),
              look.publicBeside().map(PublicKey::fingerprint)));
    }
    List<Fingerprint> held = new ArrayList<>();
    String agent = "none";
    if (!settings.agent().isEmpty()) {
      try {
        new AgentClient(Path.of(settings.agent()))
            .keys()
            .forEach(key -> held.add(key.key().fingerprint()));
        agent = "answers";
      } catch (IOException silent) {
        agent = "silent";
      }
    }
    return new ClientSide(lines, files, agent, held, settings.algorithms());
  }

  /**
   * What the client would do.
   *
   * @throws IOException if the machine has no OpenSSH client, or it refuses its configuration
   */
  public Settings settings() throws IOException {
    List<String> command = new ArrayList<>(List.of(SSH, "-G"));
    command.addAll(destination);
    String user = "";
    String host = "";
    int port = 22;
    String agent = environment.getOrDefault("SSH_AUTH_SOCK", env("SSH_AUTH_SOCK"));
    List<Path> files = new ArrayList<>();
    List<String> algorithms = List.of();
    for (String line : run(command)) {
      int blank = line.indexOf(' ');
      String value = blank < 0 ? "" : line.substring(blank + 1);
      switch (blank < 0 ? "" : line.substring(0, blank).toLowerCase(Locale.ROOT)) {
        case "user" -> user = value;
        case "hostname" -> host = value;
        case "port" -> port = Integer.parseInt(value);
        case "identityfile" -> files.add(expanded(value));
        case "pubkeyacceptedalgorithms" -> algorithms = List.of(value.split(","));
        case "identityagent" -> agent = value.equals("SSH_AUTH_SOCK") ? agent : value;
        default -> {
          continue;
        }
      }
    }
    return new Settings(user, host, port, files, agent.equals("none") ? "" : agent, algorithms);
  }

  private Path expanded(String path) {
    String home = environment.getOrDefault("HOME", System.getProperty("user.home"));
    return path.startsWith("~/") ? Path.of(home, path.substring(2)) : Path.of(path);
  }

  private static String env(String name) {
    String value = System.getenv(name);
    return value == null ? "" : value;
  }

  private List<String> run(List<String> command) throws IOException {
    return run(command, null);
  }

  /** Runs a command to its end; ends it when it has printed a line, or when patience ends. */
  private List<String> run(List<String> command, String last) throws IOException {
    ProcessBuilder builder =
        new ProcessBuilder(command)
            .redirectErrorStream(true)
            .redirectInput(Path.of("/dev/null").toFile());
    builder.environment().putAll(environment);
    Process process = builder.start();
    CompletableFuture<Void> watch =
        CompletableFuture.runAsync(
            process::destroy,
            CompletableFuture.delayedExecutor(patience.toMillis(), TimeUnit.MILLISECONDS));
    List<String> lines = new ArrayList<>();
    try (BufferedReader out = process.inputReader(StandardCharsets.UTF_8)) {
      for (String line = out.readLine(); line != null; line = out.readLine()) {
        if (lines.size() < MOST_LINES) {
          lines.add(line);
        }
        if (last != null && line.startsWith(last)) {
          break;
        }
      }
      return lines;
    } finally {
      watch.cancel(false);
      process.descendants().forEach(ProcessHandle::destroy);
      process.destroy();
    }
  }
}
