package tolvin.standins.launch;

import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.attribute.PosixFilePermissions;
import java.time.Duration;
import java.util.ArrayDeque;
import java.util.ArrayList;
import java.util.Deque;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Properties;
import java.util.concurrent.Callable;
import java.util.concurrent.TimeUnit;
import picocli.CommandLine;
import picocli.CommandLine.Command;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;
import tolvin.standins.demo.Api;
import tolvin.standins.demo.FerryClients;
import tolvin.standins.demo.Skerrymoor;
import tolvin.standins.demo.SkerrymoorNeighbours;
import tolvin.standins.demo.SkerrymoorSystems;
import tolvin.standins.local.LocalAuthority;
import tolvin.standins.local.LocalPostgres;
import tolvin.standins.local.LocalService;
import tolvin.standins.local.Ports;
import tolvin.standins.local.Tail;
import tolvin.standins.securitykey.Device;
import tolvin.standins.securitykey.Maker;
import tolvin.standins.securitykey.PluggedIn;

/** Starts everything on this machine, watches over it, and stops it again. */
@Command(
    name = "./start",
    mixinStandardHelpOptions = true,
    sortOptions = false,
    description =
        "Starts PostgreSQL, the demo's SSH servers, the service and the demo's clients, all below"
            + " one data directory. Ctrl-C stops all of it; the next start goes on with the same"
            + " data.",
    footer = {
      "",
      "Example: ./start --detach --port 9000",
      "Exit status: 0 done; 1 a part failed, with its name and the last lines of its log; 2 misuse."
    })
public final class Launcher implements Callable<Integer> {
  private static final int DEFAULT_PORT = 8460;
  private static final int PORTS = 8 + SkerrymoorNeighbours.PORTS;
  private static final String SECURITY_KEY_PIN = "471100";

  @Parameters(
      arity = "0..1",
      defaultValue = "run",
      paramLabel = "VERB",
      description = "run (the default), stop a detached one, or show its status")
  private String verb;

  @Option(names = "--detach", description = "Go on in the background.")
  private boolean detach;

  @Option(names = "--empty", description = "No demo: only the database and the service.")
  private boolean empty;

  @Option(
      names = "--tls",
      description =
          "Serve HTTPS, with a certificate of an authority that is made for this installation.")
  private boolean tls;

  @Option(
      names = "--port",
      paramLabel = "PORT",
      description =
          "The console's port; the eleven ports behind it are used too. Default: 8460, or the one of"
              + " the last start.")
  private Integer port;

  @Option(
      names = "--data",
      required = true,
      paramLabel = "DIR",
      description = "The data directory.")
  private Path data;

  @Option(
      names = "--behind",
      hidden = true,
      description = "Started by another one, whose output is a file: says no password.")
  private boolean behind;

  @Option(
      names = "--usual",
      hidden = true,
      description = "The data directory that the client looks at by itself.")
  private Path usual;

  @Option(names = "--root", required = true, hidden = true)
  private Path root;

  private final Deque<AutoCloseable> running = new ArrayDeque<>();
  private Installation installation;
  private String part = "start";

  /** Runs the start command. */
  public static void main(String[] arguments) {
    System.exit(new CommandLine(new Launcher()).execute(arguments));
  }

  @Override
  public Integer call() throws Exception {
    installation = new Installation(data.toAbsolutePath().normalize());
    try {
      return switch (verb) {
        case "run" -> detach ? detached() : run();
        case "stop" -> stop();
        case "status" -> status();
        default -> {
          System.err.println("Unknown verb “" + verb + "”: use run, stop or status.");
          yield CommandLine.ExitCode.USAGE;
        }
      };
    } catch (IOException | IllegalStateException e) {
      System.err.println("✗ " + part + " failed: " + e.getMessage());
      closeAll();
      return CommandLine.ExitCode.SOFTWARE;
    }
  }

  private int run() throws IOException, InterruptedException {
    Optional<ProcessHandle> other = installation.process("start");
    if (other.isPresent()) {
      System.err.println(
          "It runs already (process "
              + other.get().pid()
              + "): "
              + url()
              + "\n./start stop ends it.");
      return CommandLine.ExitCode.SOFTWARE;
    }
    installation.make();
    endLeftovers();
    int first = choosePort();
    installation.rememberProcess("start", ProcessHandle.current());
    Thread ender = new Thread(this::closeAll, "stop");
    Runtime.getRuntime().addShutdownHook(ender);

    part = "PostgreSQL";
    LocalPostgres postgres = LocalPostgres.start(installation.postgres(), first + 1);
    running.push(postgres);
    done("PostgreSQL on 127.0.0.1 port " + (first + 1));

    Skerrymoor demo = null;
    SkerrymoorSystems systems = null;
    SkerrymoorNeighbours neighbours = null;
    if (!empty) {
      part = "the demo's SSH servers";
      demo = Skerrymoor.start(installation.demo(), first + 2, first + 3);
      running.push(demo);
      done("OpenSSH servers of Skerrymoor Ferries on ports " + (first + 2) + " and " + (first + 3));
      part = "the demo's code host, warehouse and build system";
      systems =
          SkerrymoorSystems.start(
              installation.demo().resolve("systems"), root.resolve("sheets"), postgres, first + 4);
      running.push(systems);
      done(
          "simulated code host with real git (ports "
              + (first + 4)
              + ", "
              + (first + 5)
              + "), warehouse ("
              + (first + 6)
              + ") and build system ("
              + (first + 7)
              + ")");
      part = "the demo's directory, key repository and partner";
      neighbours = SkerrymoorNeighbours.start(installation.demo().resolve("neighbours"), first + 8);
      running.push(neighbours);
      done(
          "directory server (port "
              + (first + 8)
              + ") and its login server ("
              + (first + 9)
              + "), key repository ("
              + (first + 10)
              + "), a partner's server ("
              + (first + 11)
              + ")");
      part = "the simulated security key";
      running.push(plugIn(installation.demo().resolve("security-key")));
      done("a simulated security key, plugged in: scripts/security-key status");
    }

    part = "the service";
    startService(postgres, first);
    done("service on port " + first);

    Properties signIn =
        Installation.read(installation.service().resolve("first-sign-in.properties"));
    writeClientProperties(signIn);
    if (demo != null) {
      part = "the demo's data";
      Api api = new Api(url(), signIn, authority());
      demo.tell(api);
      systems.tell(api);
      neighbours.tell(api);
      demo.sweepOnce(api);
      part = "the demo's clients";
      startClients(demo);
      done("demo data, and clients that upload all the time");
    }
    System.out.println();
    System.out.println("Console:  " + url());
    if (!behind) {
      sayPasswords();
    }
    authority().ifPresent(by -> System.out.println("Believe:  " + by.trusted()));
    boolean isUsual =
        usual == null || installation.data().equals(usual.toAbsolutePath().normalize());
    System.out.println(
        "Client:   ./tolvin " + (isUsual ? "" : "--at " + installation.data() + " ") + "key list");
    System.out.println("Data:     " + installation.data());
    System.out.flush();
    installation.remember("ready", "yes");
    watch();
    return CommandLine.ExitCode.SOFTWARE;
  }

  /** On the terminal and nowhere else: a log would be read by others than who started it. */
  private void sayPasswords() throws IOException {
    Properties signIn =
        Installation.read(installation.service().resolve("first-sign-in.properties"));
    System.out.println(
        "Sign in:  " + signIn.getProperty("login") + " / " + signIn.getProperty("password"));
    Path person = installation.demo().resolve("isla.properties");
    if (Files.exists(person)) {
      Properties isla = Installation.read(person);
      System.out.println(
          "A person: "
              + isla.getProperty("login")
              + " / "
              + isla.getProperty("password")
              + " (sees and proves her own keys)");
    }
  }

  /** The security key of the demo; its PIN is in the documentation. */
  private static PluggedIn plugIn(Path directory) throws IOException {
    Files.createDirectories(directory);
    Maker maker = Maker.kept(directory.resolve("maker"), "Gannet Keys");
    return PluggedIn.at(
        directory,
        Device.kept(directory.resolve("device"), maker, SECURITY_KEY_PIN, Duration.ofSeconds(25)));
  }

  /** Stays until it is ended, or until a part ends by itself. */
  private void watch() throws IOException, InterruptedException {
    part = "a part that was running";
    while (true) {
      TimeUnit.SECONDS.sleep(1);
      for (String name : List.of("service", "clients")) {
        if (installation.state().getProperty(name) != null
            && installation.process(name).isEmpty()) {
          throw new IOException(
              name
                  + " ended by itself.\n"
                  + Tail.of(installation.logs().resolve(name + ".log"), 15));
        }
      }
    }
  }

  /** Options of the service's Java process; those of whoever starts it come last, and count. */
  private static String[] options() {
    String more = System.getenv().getOrDefault("TOLVIN_JAVA_OPTIONS", "").strip();
    return ("-Xmx384m " + more).strip().split("\\s+");
  }

  /** Who certifies the service, if it serves HTTPS. */
  private Optional<LocalAuthority> authority() throws IOException {
    return isTls() ? Optional.of(LocalAuthority.in(installation.tls())) : Optional.empty();
  }

  /** Once an installation serves HTTPS it goes on so: its addresses are known by others. */
  private boolean isTls() throws IOException {
    return tls || installation.state().getProperty("tls") != null;
  }

  private void startService(LocalPostgres postgres, int port) throws IOException {
    Map<String, String> environment =
        new HashMap<>(LocalService.environment(postgres, installation.service(), port));
    if (isTls()) {
      LocalAuthority authority = authority().orElseThrow().certify("service");
      environment.put("TOLVIN_TLS_CERTIFICATE", authority.certificate("service").toString());
      environment.put("TOLVIN_TLS_KEY", authority.key("service").toString());
      installation.remember("tls", "yes");
    }
    Process service = spawn("service", LocalService.command(root, options()), environment);
    try {
      LocalService.await(service, port, this::sayItStarts);
    } finally {
      if (!service.isAlive()) {
        throw new IOException(
            "it ended while starting.\n" + Tail.of(installation.logs().resolve("service.log"), 15));
      }
    }
  }

  /** Where it is, so that whoever waits knows what for. */
  private void sayItStarts(Duration waited) {
    String last = Tail.of(installation.logs().resolve("service.log"), 1).stripTrailing();
    System.out.println(
        "… the service is still starting, after "
            + waited.toSeconds()
            + " s"
            + (last.isEmpty() ? "" : "; its log says last:\n" + last));
    System.out.flush();
  }

  private void startClients(Skerrymoor demo) throws IOException {
    List<String> command =
        new ArrayList<>(
            List.of(
                java(),
                "-Xmx96m",
                "-cp",
                System.getProperty("java.class.path"),
                FerryClients.class.getName()));
    command.addAll(demo.clientArguments(installation.uploads()));
    spawn("clients", command, Map.of());
  }

  /** A child in a session of its own, so that Ctrl-C reaches it through us and in order. */
  private Process spawn(String name, List<String> command, Map<String, String> environment)
      throws IOException {
    List<String> whole = new ArrayList<>(List.of("setsid"));
    whole.addAll(command);
    Path log = installation.log(name);
    ProcessBuilder builder =
        new ProcessBuilder(whole)
            .redirectErrorStream(true)
            .redirectOutput(ProcessBuilder.Redirect.appendTo(log.toFile()));
    builder.environment().putAll(environment);
    Process process = builder.start();
    installation.rememberProcess(name, process.toHandle());
    running.push(
        () -> {
          end(process.toHandle());
          installation.remember(name, null);
        });
    return process;
  }

  private int choosePort() throws IOException {
    String remembered = installation.state().getProperty("port");
    if (port != null && remembered != null && port != Integer.parseInt(remembered)) {
      throw new IOException(
          "this data directory was started with port "
              + remembered
              + ", which its servers are known by. Leave --port out, or choose another --data.");
    }
    int first =
        port != null ? port : Integer.parseInt(remembered == null ? DEFAULT_PORT + "" : remembered);
    boolean postgresRuns = Files.exists(installation.postgres().resolve("data/postmaster.pid"));
    for (int i = 0; i < PORTS; i++) {
      if (Ports.answers(first + i) && !(i == 1 && postgresRuns)) {
        throw new IOException(
            "port " + (first + i) + " is taken by another program. Choose others with --port.");
      }
    }
    installation.remember("port", String.valueOf(first));
    return first;
  }

  /** Ends what an earlier start left behind when it was killed. */
  private void endLeftovers() throws IOException {
    for (String name : List.of("clients", "service")) {
      installation.process(name).ifPresent(Launcher::end);
      installation.remember(name, null);
    }
    for (String server :
        List.of(
            "sftp",
            "apps",
            "systems/code/git",
            "neighbours/login",
            "neighbours/keys",
            "neighbours/customs",
            "neighbours/people")) {
      Path pid = installation.demo().resolve(server + "/pid");
      if (Files.exists(pid)) {
        ProcessHandle.of(Long.parseLong(Files.readString(pid).trim()))
            .filter(p -> p.info().commandLine().orElse("").matches(".*(sshd|slapd).*"))
            .ifPresent(Launcher::end);
      }
    }
    installation.remember("ready", null);
  }

  private void writeClientProperties(Properties signIn) throws IOException {
    Path file = installation.data().resolve("client.properties");
    Files.writeString(file, "");
    Files.setPosixFilePermissions(file, PosixFilePermissions.fromString("rw-------"));
    String authority = authority().map(by -> "authority=" + by.trusted() + "\n").orElse("");
    Files.writeString(
        file, "url=" + url() + "\ntoken=" + signIn.getProperty("token") + "\n" + authority);
  }

  private int detached() throws IOException, InterruptedException {
    installation.make();
    Path log = installation.log("start");
    long before = Files.size(log);
    List<String> command =
        new ArrayList<>(
            List.of(
                "setsid",
                java(),
                "-cp",
                System.getProperty("java.class.path"),
                Launcher.class.getName(),
                "--data",
                installation.data().toString(),
                "--root",
                root.toString(),
                "--behind"));
    if (usual != null) {
      command.addAll(List.of("--usual", usual.toString()));
    }
    if (empty) {
      command.add("--empty");
    }
    if (tls) {
      command.add("--tls");
    }
    if (port != null) {
      command.addAll(List.of("--port", port.toString()));
    }
    Process process =
        new ProcessBuilder(command)
            .redirectErrorStream(true)
            .redirectInput(ProcessBuilder.Redirect.from(new java.io.File("/dev/null")))
            .redirectOutput(ProcessBuilder.Redirect.appendTo(log.toFile()))
            .start();
    while (process.isAlive()) {
      boolean ours =
          installation.process("start").filter(p -> p.pid() == process.pid()).isPresent();
      boolean isReady = ours && installation.state().getProperty("ready") != null;
      String said = since(log, before);
      System.out.print(said);
      System.out.flush();
      before += said.getBytes(StandardCharsets.UTF_8).length;
      if (isReady) {
        sayPasswords();
        System.out.println("It goes on in the background; ./start stop ends it.");
        return CommandLine.ExitCode.OK;
      }
      TimeUnit.MILLISECONDS.sleep(100);
    }
    System.err.print(since(log, before));
    return CommandLine.ExitCode.SOFTWARE;
  }

  /** What this start wrote into a log. */
  private static String since(Path log, long before) throws IOException {
    byte[] all = Files.readAllBytes(log);
    int from = (int) Math.min(before, all.length);
    return new String(all, from, all.length - from, StandardCharsets.UTF_8);
  }

  private int stop() throws IOException {
    Optional<ProcessHandle> starter = installation.process("start");
    if (starter.isEmpty()) {
      System.out.println("Nothing runs with the data in " + installation.data() + ".");
      return CommandLine.ExitCode.OK;
    }
    end(starter.get());
    System.out.println("Stopped.");
    return CommandLine.ExitCode.OK;
  }

  private int status() throws IOException {
    Optional<ProcessHandle> starter = installation.process("start");
    System.out.println(
        starter.isPresent()
            ? "Running (process " + starter.get().pid() + "): " + url()
            : "Not running.");
    if (Files.exists(installation.uploads())) {
      System.out.print(Files.readString(installation.uploads()));
    }
    return starter.isPresent() ? CommandLine.ExitCode.OK : CommandLine.ExitCode.SOFTWARE;
  }

  private static void end(ProcessHandle process) {
    process.destroy();
    try {
      process.onExit().get(40, TimeUnit.SECONDS);
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
    } catch (java.util.concurrent.ExecutionException | java.util.concurrent.TimeoutException late) {
      process.destroyForcibly();
    }
  }

  private synchronized void closeAll() {
    while (!running.isEmpty()) {
      try {
        running.pop().close();
      } catch (Exception e) {
        System.err.println("While stopping: " + e.getMessage());
      }
    }
    try {
      if (installation.process("start").filter(ProcessHandle.current()::equals).isPresent()) {
        installation.remember("start", null);
        installation.remember("ready", null);
      }
    } catch (IOException e) {
      System.err.println("While stopping: " + e.getMessage());
    }
  }

  private String url() throws IOException {
    return (isTls() ? "https" : "http")
        + "://127.0.0.1:"
        + installation.state().getProperty("port", DEFAULT_PORT + "");
  }

  private static String java() {
    return ProcessHandle.current().info().command().orElse("java");
  }

  private static void done(String what) {
    System.out.println("✓ " + what);
    System.out.flush();
  }
}
