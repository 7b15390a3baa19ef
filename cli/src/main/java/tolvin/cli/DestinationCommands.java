package tolvin.cli;

import static tolvin.cli.Show.column;
import static tolvin.cli.Show.columns;

import java.time.Instant;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Objects;
import java.util.UUID;
import java.util.concurrent.Callable;
import java.util.stream.Stream;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;
import tolvin.api.destination.DestinationChangeRequest;
import tolvin.api.destination.DestinationRequest;
import tolvin.api.destination.DestinationRequestBuilder;
import tolvin.api.destination.DestinationView;
import tolvin.api.destination.FamilyView;
import tolvin.api.destination.FeedView;
import tolvin.api.destination.HealthView;
import tolvin.api.destination.HostKeyChangeRequest;
import tolvin.api.destination.KeysServerView;
import tolvin.api.destination.TestRequest;
import tolvin.api.destination.TestStepView;
import tolvin.api.destination.TestView;
import tolvin.api.sheet.SheetView;
import tolvin.core.estate.Family;
import tolvin.core.server.FilesScript;
import tolvin.core.server.SaidOfServer;

/** Destinations. */
@Command(
    name = "destination",
    mixinStandardHelpOptions = true,
    description =
        "Systems that keys get registered on: list, show, add, change, look, confirm, announce,"
            + " pin, test, script.",
    subcommands = {
      DestinationCommands.List_.class,
      DestinationCommands.Show_.class,
      DestinationCommands.Add.class,
      DestinationCommands.Change.class,
      HostKeyCommands.Look.class,
      HostKeyCommands.Confirm.class,
      HostKeyCommands.Announce.class,
      DestinationCommands.Pin.class,
      DestinationCommands.Test.class,
      DestinationCommands.Script.class
    })
final class DestinationCommands {
  private DestinationCommands() {}

  private static final List<Show.Column<DestinationView>> COLUMNS =
      columns(
          column("Name", DestinationView::name),
          column("Family", DestinationView::family),
          column("System", DestinationView::system),
          column("Accounts", DestinationView::accounts),
          column("Reachable", DestinationView::health, HealthView::reachable),
          column("Trouble", DestinationView::health, HealthView::failure),
          column("Stopped because", DestinationView::stoppedBecause));

  /** The settings that somebody said; what the server itself is asked for stands below. */
  private static Map<String, String> said(DestinationView destination) {
    Map<String, String> said = new LinkedHashMap<>(destination.settings());
    said.values().removeIf(SaidOfServer.NOTHING_SAID::equals);
    said.remove(SaidOfServer.FURTHER_FILES);
    return said;
  }

  /** The files besides the first in which a server looks for keys; null if there are none. */
  private static String furtherFiles(DestinationView destination) {
    String files = destination.settings().get(SaidOfServer.FURTHER_FILES);
    return SaidOfServer.NO_FILES.equals(files) ? null : files;
  }

  /** A line that the server's configuration needs so that its log says who signed in. */
  private static String logLine(DestinationView destination, int number) {
    return destination.keysServer() == null || destination.keysServer().logConfiguration() == null
        ? null
        : destination.keysServer().logConfiguration().get(number);
  }

  static DestinationView find(Service service, String text) throws Refused {
    return service.one(
        service.all("/destinations?limit=500", DestinationView.class),
        "destination",
        text,
        DestinationView::id,
        List.of(DestinationView::name));
  }

  /** Lists destinations. */
  @Command(
      name = "list",
      mixinStandardHelpOptions = true,
      description = "List destinations.",
      footer = {"", "Example: tolvin destination list"})
  static final class List_ implements Callable<Integer> {
    @Mixin private Show show;

    @Override
    public Integer call() throws Refused {
      show.list(
          Service.open().all("/destinations?limit=500", DestinationView.class),
          "No destinations. Attach one with: tolvin destination add NAME --host HOST "
              + "--host-key FILE",
          COLUMNS);
      return 0;
    }
  }

  /** Shows a destination. */
  @Command(
      name = "show",
      mixinStandardHelpOptions = true,
      description = "Show a destination.",
      footer = {"", "Example: tolvin destination show sftp.skerrymoor.example"})
  static final class Show_ implements Callable<Integer> {
    @Mixin private Show show;

    @Parameters(paramLabel = "DESTINATION", description = "Name or id.")
    private String name;

    @Override
    public Integer call() throws Refused {
      show.one(
          find(Service.open(), name),
          column("Name", DestinationView::name),
          column("Family", DestinationView::family),
          column("System", DestinationView::system),
          column("Address", DestinationView::address),
          column("Settings", DestinationCommands::said),
          column("Connects as", DestinationView::user),
          column("Secret ends", DestinationView::secretEndsAt),
          column("Tested at", DestinationView::testedAt),
          column("Host", DestinationView::host),
          column("Port", DestinationView::port),
          column("Looked at", DestinationView::health, HealthView::at),
          column("Reachable", DestinationView::health, HealthView::reachable),
          column("Let in", DestinationView::health, HealthView::secretGood),
          column("Secret ends there", DestinationView::health, HealthView::secretEnds),
          column("Clock ahead by s", DestinationView::health, HealthView::clockAheadSeconds),
          column("Answer took ms", DestinationView::health, HealthView::tookMillis),
          column("Trouble", DestinationView::health, HealthView::failure),
          column("Host keys", DestinationView::hostKeys),
          column("Management login", DestinationView::managementLogin),
          column("Path of keys", DestinationView::keysPath),
          column("Further files", DestinationCommands::furtherFiles),
          column("Calls itself", DestinationView::keysServer, KeysServerView::callsItself),
          column("Kind of server", DestinationView::keysServer, KeysServerView::kind),
          column("Keys stand in", DestinationView::keysServer, KeysServerView::format),
          column("Options it takes", DestinationView::keysServer, KeysServerView::options),
          column("Files are reached", DestinationView::keysServer, KeysServerView::files),
          column("To log sign-ins", d -> logLine(d, 0)),
          column("and", d -> logLine(d, 1)),
          column("Sign-in log", DestinationView::logPath),
          column("Log read to", DestinationView::feed, FeedView::readTo),
          column("Log unbroken since", DestinationView::feed, FeedView::unbrokenSince),
          column("Log failure", DestinationView::feed, FeedView::failure),
          column("Reached through", DestinationView::route),
          column("Accounts sign in at", DestinationView::signsInAt),
          column("Reads per second", DestinationView::readsPerSecond),
          column("Stopped because", DestinationView::stoppedBecause),
          column("Tolvin's key", DestinationView::tolvinKey),
          column("Id", DestinationView::id));
      return 0;
    }
  }

  /** Attaches a destination. */
  @Command(
      name = "add",
      mixinStandardHelpOptions = true,
      description = {
        "Attach an SSH server, or a system by its sheet. Of an SSH server the answer "
            + "holds the line with which Tolvin signs in: put it into the management login's "
            + "authorized_keys, or into each account's. Without --host-key it is stopped "
            + "until its host key was compared: see look and confirm."
      },
      footer = {
        "",
        "Example: tolvin destination add quay.example --host quay.example --host-key " + "quay.pub",
        "Example: tolvin destination add code.example --sheet Pierhead --address "
            + "https://code.example"
            + " --secret-file token --setting git-door=code.example:22"
      })
  static final class Add implements Callable<Integer> {
    @Mixin private Show show;
    @Mixin private Relations relations;

    @Parameters(paramLabel = "NAME", description = "Its name.")
    private String name;

    @Option(names = "--host", paramLabel = "HOST", description = "Host name or address.")
    private String host;

    @Option(
        names = "--family",
        defaultValue = "sftp-server",
        paramLabel = "FAMILY",
        description = "sftp-server, key-repository, directory or partner. Default: sftp-server.")
    private Family family;

    @Option(
        names = "--port",
        paramLabel = "PORT",
        description = "TCP port. Default: 22, of a directory 636.")
    private Integer port;

    @Option(
        names = "--through",
        paramLabel = "LOGIN@DESTINATION",
        description = "The jump host that it is reached through, and Tolvin's login there.")
    private String through;

    @Option(
        names = "--host-key",
        paramLabel = "FILE",
        description =
            "The server's host key, compared with its administrator; may be given several "
                + "times.")
    private List<String> hostKeys = List.of();

    @Option(
        names = "--management-login",
        paramLabel = "LOGIN",
        description = "A login that may write every account's keys.")
    private String management;

    @Option(
        names = "--keys-path",
        paramLabel = "PATH",
        description = "The file of an account's keys; {login} stands for its login.")
    private String keysPath;

    @Option(names = "--log", paramLabel = "PATH", description = "The server's sign-in log.")
    private String log;

    @Option(
        names = "--sheet",
        paramLabel = "SYSTEM",
        description = "The sheet that describes it, by its system's name.")
    private String sheet;

    @Option(
        names = "--address",
        paramLabel = "URL",
        description = "With a sheet: the base of all requests, or the database's URL.")
    private String address;

    @Option(
        names = "--setting",
        paramLabel = "NAME=VALUE",
        description =
            "A setting that the sheet or the family asks for; @FILE takes a file's content;"
                + " repeatable.")
    private Map<String, String> settings = new LinkedHashMap<>();

    @Option(names = "--user", paramLabel = "NAME", description = "As whom Tolvin connects.")
    private String user;

    @Option(
        names = "--secret-file",
        paramLabel = "FILE",
        description = "With what Tolvin connects; asked for if it is needed and not given.")
    private String secretFile;

    @Option(
        names = "--secret-ends",
        paramLabel = "MOMENT",
        description = "When that secret ends, such as 2027-03-31T00:00:00Z.")
    private Instant secretEnds;

    /** Where the jump host's name begins in {@code LOGIN@DESTINATION}. */
    private int afterLogin() throws Refused {
      int at = through.indexOf('@');
      if (at < 1) {
        throw new Refused("Give the jump host as LOGIN@DESTINATION.");
      }
      return at + 1;
    }

    private DestinationRequest own(Service service) throws Refused {
      if (host == null) {
        throw new Refused("Say where it is: --host HOST, or --sheet SYSTEM and --address URL.");
      }
      DestinationRequestBuilder request =
          DestinationRequest.named(name)
              .family(family)
              .host(host)
              .port(port)
              .hostKeys(lines(hostKeys))
              .managementLogin(management)
              .keysPath(keysPath)
              .logPath(log)
              .settings(contents(settings))
              .user(user)
              .signsInAtId(relations.signsInAt(service))
              .readsPerSecond(relations.readsPerSecond)
              .configPath(relations.config)
              .modePath(relations.modePath)
              .reloadCommand(relations.reload);
      boolean takesSecret =
          service.list("/families", FamilyView.class).stream()
              .anyMatch(known -> known.family() == family && known.secret());
      if (takesSecret) {
        request.secret(Secret.whole("Secret of " + name, secretFile));
      }
      if (through != null) {
        request
            .routeId(find(service, through.substring(afterLogin())).id())
            .routeLogin(through.substring(0, afterLogin() - 1));
      }
      return request.build();
    }

    private DestinationRequest bySheet(Service service) throws Refused {
      SheetView found = SheetCommands.find(service, sheet);
      boolean secret = !found.connectsWith().equals("nothing");
      return DestinationRequest.named(name)
          .sheetId(found.id())
          .address(address)
          .hostKeys(lines(hostKeys))
          .settings(contents(settings))
          .user(user)
          .secret(secret ? Secret.whole("Secret of " + name, secretFile) : null)
          .secretEndsAt(secretEnds)
          .build();
    }

    @Override
    public Integer call() throws Refused {
      Service service = Service.open();
      show.one(
          service.post(
              "/destinations",
              sheet == null ? own(service) : bySheet(service),
              DestinationView.class),
          column("Name", DestinationView::name),
          column("System", DestinationView::system),
          column("Host keys", DestinationView::hostKeys),
          column("Stopped because", DestinationView::stoppedBecause),
          column("Tolvin's key", DestinationView::tolvinKey),
          column("Id", DestinationView::id));
      return 0;
    }
  }

  /** Settings whose value is a file's content. */
  private static Map<String, String> contents(Map<String, String> settings) throws Refused {
    Map<String, String> whole = new LinkedHashMap<>();
    for (Map.Entry<String, String> setting : settings.entrySet()) {
      String value = setting.getValue();
      try {
        whole.put(
            setting.getKey(),
            value.startsWith("@")
                ? java.nio.file.Files.readString(java.nio.file.Path.of(value.substring(1)))
                : value);
      } catch (java.io.IOException e) {
        throw new Refused(value.substring(1) + " cannot be read: " + e.getMessage());
      }
    }
    return whole;
  }

  /** How a destination is read and what it has to do with others; said at first and later on. */
  static final class Relations {
    @Option(
        names = "--signs-in-at",
        paramLabel = "DESTINATION",
        description = "The SSH server that takes its accounts' keys from there.")
    private String signsInAt;

    @Option(
        names = "--reads-per-second",
        paramLabel = "COUNT",
        description = "How many accounts a sweep reads there in a second, at most. At first: 20.")
    private Integer readsPerSecond;

    @Option(
        names = "--config",
        paramLabel = "PATH",
        description = "The SSH server's configuration, so that other doors are seen.")
    private String config;

    @Option(
        names = "--mode-path",
        paramLabel = "PATH",
        description = "Where an account's sign-in mode is written, with {login} in it.")
    private String modePath;

    @Option(
        names = "--reload",
        paramLabel = "COMMAND",
        description = "What makes the server read its configuration again.")
    private String reload;

    private UUID signsInAt(Service service) throws Refused {
      return signsInAt == null ? null : find(service, signsInAt).id();
    }
  }

  /** Changes what is known of a destination, or gives a new connection secret. */
  @Command(
      name = "change",
      mixinStandardHelpOptions = true,
      description = {
        "Change what is known of a destination: what is not named stays, and an empty "
            + "text takes a path out. Without any other option the secret that Tolvin "
            + "connects with is asked for anew."
      },
      footer = {
        "",
        "Example: tolvin destination change code.example --secret-file token",
        "Example: tolvin destination change keys.example --signs-in-at cranes.example",
        "Example: tolvin destination change sftp.example --config /etc/ssh/sshd_config"
      })
  static final class Change implements Callable<Integer> {
    @Mixin private Show show;
    @Mixin private Relations relations;

    @Parameters(paramLabel = "DESTINATION", description = "Name or id.")
    private String name;

    @Option(
        names = "--secret-file",
        paramLabel = "FILE",
        description = "The secret; asked for if it is not given.")
    private String secretFile;

    @Option(names = "--secret-ends", paramLabel = "MOMENT", description = "When it ends.")
    private Instant secretEnds;

    @Option(names = "--log", paramLabel = "PATH", description = "The server's sign-in log.")
    private String log;

    @Option(
        names = "--propagation",
        paramLabel = "DURATION",
        description = "How long a change takes to be everywhere, such as PT2M.")
    private String propagation;

    @Option(
        names = "--setting",
        paramLabel = "NAME=VALUE",
        description = {
          "Of an SSH server: server=, format= or options=, if it is not what it calls "
              + "itself; nothing behind the sign brings back what is usual."
        })
    private Map<String, String> settings;

    @Override
    public Integer call() throws Refused {
      Service service = Service.open();
      DestinationView destination = find(service, name);
      UUID signsInAt = relations.signsInAt(service);
      boolean nothingElse =
          Stream.of(
                  log,
                  propagation,
                  signsInAt,
                  relations.readsPerSecond,
                  relations.config,
                  relations.modePath,
                  relations.reload,
                  settings)
              .allMatch(Objects::isNull);
      boolean secret = nothingElse || secretFile != null;
      DestinationChangeRequest change =
          new DestinationChangeRequest(
              log,
              propagation,
              secret ? Secret.whole("Secret of " + name, secretFile) : null,
              secret ? secretEnds : null,
              signsInAt,
              relations.readsPerSecond,
              relations.config,
              relations.modePath,
              relations.reload,
              settings);
      show.one(
          service.patch(
              "/destinations/" + destination.id(),
              change,
              String.valueOf(destination.version()),
              DestinationView.class),
          COLUMNS);
      return 0;
    }
  }

  /** Writes the script for servers without SFTP. */
  @Command(
      name = "script",
      mixinStandardHelpOptions = true,
      description = {
        "Write the script with which a server without SFTP lets Tolvin read and "
            + "replace files of keys, and nothing else. What to do with it stands at its "
            + "top. It is the same for all servers."
      },
      footer = {"", "Example: tolvin destination script > tolvin-files"})
  static final class Script implements Callable<Integer> {
    @Override
    public Integer call() {
      System.out.print(FilesScript.TEXT);
      System.out.flush();
      return 0;
    }
  }

  /** Tests a destination with a throw-away key. */
  @Command(
      name = "test",
      mixinStandardHelpOptions = true,
      description = {
        "Test a destination on a real account, with throw-away keys: read, place, read "
            + "back, withdraw, read back. What a sheet describes takes keys only after that "
            + "went well. An SSH server is signed in to, and asked which options before a "
            + "key it takes."
      },
      footer = {"", "Example: tolvin destination test code.example --account boats/tests"})
  static final class Test implements Callable<Integer> {
    @Mixin private Show show;
    @Mixin private Consent consent;

    @Parameters(paramLabel = "DESTINATION", description = "Name or id.")
    private String name;

    @Option(
        names = "--account",
        paramLabel = "LOGIN",
        description = "An account on record that nothing depends on.")
    private String account;

    @Option(
        names = "--seat",
        paramLabel = "NAME",
        description = "For systems that have seats only: a credential, which is read.")
    private String seat;

    @Override
    public Integer call() throws Refused {
      Service service = Service.open();
      UUID id = find(service, name).id();
      if (seat == null) {
        consent.ask(
            "Place a throw-away key on " + account + " at " + name + ", and take it off again?");
      }
      TestView tested =
          service.post(
              "/destinations/" + id + "/tests",
              new TestRequest(account, seat, null),
              TestView.class);
      show.list(
          tested.steps(),
          "Nothing was tested.",
          column("Step", TestStepView::step),
          column("Good", TestStepView::good),
          column("What was seen", TestStepView::said));
      return tested.good() ? 0 : 1;
    }
  }

  /** Pins other host keys. */
  @Command(
      name = "pin",
      mixinStandardHelpOptions = true,
      description =
          "Pin other host keys, after comparing them, and let a stopped destination go on.",
      footer = {
        "",
        "Example: tolvin destination pin quay.example new.pub --reason 'reinstalled, "
            + "compared by phone'"
      })
  static final class Pin implements Callable<Integer> {
    @Mixin private Show show;
    @Mixin private Consent consent;

    @Parameters(index = "0", paramLabel = "DESTINATION", description = "Name or id.")
    private String name;

    @Parameters(
        index = "1..*",
        arity = "1..*",
        paramLabel = "FILE",
        description = "Host key files.")
    private List<String> files;

    @Option(
        names = "--reason",
        required = true,
        paramLabel = "TEXT",
        description = "Why, for the journal.")
    private String reason;

    @Override
    public Integer call() throws Refused {
      Service service = Service.open();
      DestinationView destination = find(service, name);
      List<String> lines = lines(files);
      consent.ask(
          "Pin " + lines.size() + " host key(s) for " + name + " in place of the old ones?");
      show.one(
          service.post(
              "/destinations/" + destination.id() + "/host-keys",
              new HostKeyChangeRequest(lines, reason),
              DestinationView.class),
          COLUMNS);
      return 0;
    }
  }

  static List<String> lines(List<String> files) throws Refused {
    List<String> lines = new ArrayList<>();
    for (String file : files) {
      lines.add(Input.of(file).key().key().line());
    }
    return lines;
  }
}
