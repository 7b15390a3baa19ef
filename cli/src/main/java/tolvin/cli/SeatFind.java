package tolvin.cli;

import com.fasterxml.jackson.databind.JsonNode;
import com.fasterxml.jackson.databind.node.ArrayNode;
import com.fasterxml.jackson.databind.node.ObjectNode;
import java.io.IOException;
import java.net.InetAddress;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Duration;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;
import tolvin.connectors.agent.AgentClient;
import tolvin.connectors.holder.MachineLook;
import tolvin.connectors.holder.OwnClient;
import tolvin.connectors.holder.PrivateFileLook;
import tolvin.core.key.PublicKey;

/** Looks through this machine for private halves. */
@Command(
    name = "find",
    mixinStandardHelpOptions = true,
    description = {
      "Look through a directory of this machine for private halves and client configurations:",
      "modes, missing passphrases, weak keys, which registered key each is, and which of them",
      "would be offered to a host. On a yes the seats are recorded. Nothing private is sent."
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
      ArrayNode rows = rows(found, registered);
      show.list(
          rows,
          "No private halves were found in " + found.looked() + " files.",
          Show.column("File", "/path"),
          Show.column("Type", "/type"),
          Show.column("Key of", "/identity"),
          Show.column("Fingerprint", "/fingerprint"),
          Show.column("Mind", "/mind"));
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

  private static ArrayNode rows(MachineLook.Found found, Map<String, String> registered) {
    ArrayNode rows = Service.JSON.createArrayNode();
    for (PrivateFileLook look : found.privates()) {
      ObjectNode row = rows.addObject();
      row.put("path", look.path().toString());
      row.put("mode", Integer.toOctalString(look.mode()));
      row.put("encrypted", look.encrypted());
      row.put("type", look.likelyKey().map(k -> k.type().label()).orElse("unknown"));
      String print = look.likelyKey().map(PublicKey::fingerprintText).orElse("");
      row.put("fingerprint", print);
      row.put("identity", registered.getOrDefault(print, "not registered"));
      row.put("registered", registered.containsKey(print));
      ArrayNode mind = row.putArray("mind");
      MachineLook.concerns(look).forEach(mind::add);
    }
    return rows;
  }

  /** Whose each registered key is; empty if no service is there to be asked. */
  private static Map<String, String> registered() throws Refused {
    Map<String, String> names = new HashMap<>();
    Service service;
    try {
      service = Service.open();
      boolean all = Own.isAdministrator(service);
      JsonNode keys = all ? service.all("/keys?limit=500") : service.get("/mine").get("keys");
      keys.forEach(
          key ->
              names.put(
                  key.get("fingerprint").asText(), key.path("identity").asText("nobody yet")));
    } catch (Refused noService) {
      System.err.println("Which keys are registered is not known: " + noService.getMessage());
    }
    return names;
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

  private int recorded(ArrayNode rows) throws Refused {
    List<Map<String, Object>> seats = new ArrayList<>();
    String machine = machine();
    for (JsonNode row : rows) {
      if (row.get("registered").asBoolean()) {
        Map<String, Object> seat = new LinkedHashMap<>();
        seat.put("machine", machine);
        seat.put("path", Path.of(row.get("path").asText()).toAbsolutePath().toString());
        seat.put("fingerprint", row.get("fingerprint").asText());
        seat.put("mode", row.get("mode").asText());
        seat.put("encrypted", row.get("encrypted").asBoolean());
        seats.add(seat);
      }
    }
    if (seats.isEmpty()) {
      throw new Refused("Nothing to record: none of these keys is registered.");
    }
    consent.ask(
        "Record " + seats.size() + " seats on " + machine + "? Only what is shown is sent.");
    Service service = Service.open();
    Map<String, Object> wish = new LinkedHashMap<>();
    wish.put(
        "integrationId",
        integration == null
            ? null
            : service
                .one("/integrations?limit=500", "integration", integration, "name")
                .get("id")
                .asText());
    wish.put("seats", seats);
    service.post("/seats/found", wish);
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
