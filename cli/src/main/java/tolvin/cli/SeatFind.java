package tolvin.cli;

import java.io.IOException;
import java.net.InetAddress;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Duration;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.UUID;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;
import tolvin.api.Page;
import tolvin.api.integration.FoundSeatRequest;
import tolvin.api.integration.FoundSeatsRequest;
import tolvin.api.key.KeyView;
import tolvin.connectors.agent.AgentClient;
import tolvin.connectors.holder.MachineLook;
import tolvin.connectors.holder.OwnClient;
import tolvin.connectors.holder.PrivateFileLook;
import tolvin.core.key.PublicKey;

/** Looks through this machine for private keys. */
@Command(
    name = "find",
    mixinStandardHelpOptions = true,
    description = {
      "Look through a directory of this machine for private keys and client " + "configurations:",
      "modes, missing passphrases, weak keys, which registered key each is, and "
          + "which of them would be offered to a host. On a yes the seats are recorded. "
          + "Nothing private is sent."
    },
    footer = {
      "",
      "Example: tolvin seat find ~/.ssh --for sftp.skerrymoor.example",
      "         tolvin seat find /home --record"
    })
final class SeatFind implements Callable<Integer> {
  @Mixin private Show show;
  @Mixin private Consent consent;

  @Parameters(paramLabel = "DIRECTORY", description = "Where to look, with all below it.")
  private Path directory;

  @Option(
      names = "--for",
      paramLabel = "HOST",
      description = "Also say what this machine's client would offer to a host, in its order.")
  private String host;

  @Option(names = "--record", description = "Record what belongs to registered keys as seats.")
  private boolean record;

  @Option(
      names = "--integration",
      paramLabel = "NAME",
      description = "Whose seats they are; one for this machine if absent.")
  private String integration;

  @Override
  public Integer call() throws Refused {
    if (!Files.isDirectory(directory)) {
      throw new Refused(directory + " is no directory.");
    }
    try {
      MachineLook.Found found = MachineLook.in(directory);
      Map<String, String> registered = registered();
      List<Row> rows = rows(found, registered);
      show.list(
          rows,
          "No private keys were found in " + found.looked() + " files.",
          Show.column("File", Row::path),
          Show.column("Type", Row::type),
          Show.column("Key of", Row::identity),
          Show.column("Fingerprint", Row::fingerprint),
          Show.column("Mind", Row::mind));
      if (show.isTable()) {
        found.configurations().forEach(c -> show.out().println("Configuration: " + c));
        if (found.closed() > 0) {
          show.out().println(found.closed() + " files or directories could not be read.");
        }
        offered(registered);
        show.out().flush();
      }
      return record ? recorded(rows) : 0;
    } catch (IOException e) {
      throw new Refused(directory + " cannot be looked through: " + e.getMessage());
    }
  }

  /** A private file that was found. */
  private record Row(
      String path,
      String mode,
      boolean encrypted,
      String type,
      String fingerprint,
      String identity,
      boolean registered,
      List<String> mind) {}

  private static List<Row> rows(MachineLook.Found found, Map<String, String> registered) {
    return found.privates().stream().map(look -> row(look, registered)).toList();
  }

  private static Row row(PrivateFileLook look, Map<String, String> registered) {
    String print = look.likelyKey().map(PublicKey::fingerprintText).orElse("");
    return new Row(
        look.path().toString(),
        Integer.toOctalString(look.mode()),
        look.encrypted(),
        look.likelyKey().map(k -> k.type().label()).orElse("unknown"),
        print,
        registered.getOrDefault(print, "not registered"),
        registered.containsKey(print),
        List.copyOf(MachineLook.concerns(look)));
  }

  /** Whose each registered key is; empty if no service is there to be asked. */
  private static Map<String, String> registered() throws Refused {
    Map<String, String> names = new HashMap<>();
    Service service;
    try {
      service = Service.open();
      boolean all = Own.isAdministrator(service);
      if (all) {
        service
            .all("/keys?limit=500", KeyView.class)
            .forEach(key -> names.put(key.fingerprint(), name(key.identity())));
      } else {
        Own.own(service).keys().forEach(key -> names.put(key.fingerprint(), name(key.identity())));
      }
    } catch (Refused noService) {
      System.err.println("Which keys are registered is not known: " + noService.getMessage());
    }
    return names;
  }

  private static String name(String identity) {
    return identity == null ? "nobody yet" : identity;
  }

  private void offered(Map<String, String> registered) throws IOException {
    if (host == null) {
      return;
    }
    OwnClient.Settings settings =
        new OwnClient(List.of(host), Map.of(), Duration.ofSeconds(10)).settings();
    List<String> order = new ArrayList<>();
    if (!settings.agent().isEmpty()) {
      try {
        for (AgentClient.Held held : new AgentClient(Path.of(settings.agent())).keys()) {
          order.add(held.key().fingerprintText() + " from the agent");
        }
      } catch (IOException silent) {
        show.out().println("The agent at " + settings.agent() + " does not answer.");
      }
    }
    for (Path file : settings.files()) {
      PrivateFileLook look = PrivateFileLook.at(file);
      look.likelyKey()
          .filter(key -> look.kind().equals("private"))
          .map(PublicKey::fingerprintText)
          .filter(print -> order.stream().noneMatch(o -> o.startsWith(print)))
          .ifPresent(print -> order.add(print + " from " + file));
    }
    show.out()
        .println(
            "\nTo "
                + host
                + " (as "
                + settings.user()
                + ", port "
                + settings.port()
                + ") this machine would offer:");
    int number = 1;
    for (String offer : order) {
      String print = offer.substring(0, offer.indexOf(' '));
      String of = registered.get(print);
      show.out().println("  " + number++ + ". " + offer + (of == null ? "" : ", key of " + of));
    }
    if (order.isEmpty()) {
      show.out().println("  no key at all");
    }
  }

  private int recorded(List<Row> rows) throws Refused {
    String machine = machine();
    List<FoundSeatRequest> seats =
        rows.stream()
            .filter(Row::registered)
            .map(
                row ->
                    new FoundSeatRequest(
                        machine,
                        Path.of(row.path()).toAbsolutePath().toString(),
                        row.fingerprint(),
                        row.mode(),
                        row.encrypted()))
            .toList();
    if (seats.isEmpty()) {
      throw new Refused("Nothing to record: none of these keys is registered.");
    }
    consent.ask(
        "Record " + seats.size() + " seats on " + machine + "? Only what is shown is sent.");
    Service service = Service.open();
    UUID of = integration == null ? null : IntegrationCommands.find(service, integration).id();
    service.post("/seats/found", new FoundSeatsRequest(of, seats), Page.class);
    System.err.println(seats.size() + " seats recorded on " + machine + ".");
    return 0;
  }

  private static String machine() {
    try {
      return InetAddress.getLocalHost().getHostName();
    } catch (IOException unnamed) {
      return "this machine";
    }
  }
}
