package tolvin.cli;

import com.fasterxml.jackson.databind.JsonNode;
import java.nio.charset.StandardCharsets;
import java.util.Set;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;

/** Gives registered keys out. */
@Command(
    name = "give",
    mixinStandardHelpOptions = true,
    description = {
      "Give a registered key out in a form, or for an account with all that its client needs;",
      "or the files about all keys: revocation-list, allowed-signers, known-hosts."
    },
    footer = {
      "",
      "Example: tolvin key give crane-feed --to rfc4716",
      "         tolvin key give crane-feed --for crane@sftp",
      "         tolvin key give --to revocation-list --out revoked.krl"
    })
final class KeyGive implements Callable<Integer> {
  private static final Set<String> FILES =
      Set.of("revocation-list", "allowed-signers", "known-hosts");

  @Parameters(
      arity = "0..1",
      paramLabel = "KEY",
      description = "Fingerprint or its beginning, identity, or id; not for the files about all.")
  private String key;

  @Option(names = "--to", paramLabel = "FORM", description = "The form, or the file.")
  private String to;

  @Option(
      names = "--for",
      paramLabel = "ACCOUNT",
      description = "login@destination: the key as that destination takes it, and the client side.")
  private String account;

  @Option(
      names = "--out",
      defaultValue = "-",
      paramLabel = "FILE",
      description = "Write it there; a file that is there already is left alone.")
  private String out;

  @Override
  public Integer call() throws Refused {
    Service service = Service.open();
    if (to != null && FILES.contains(to)) {
      Output.write(out, service.bytes("/" + to));
      return 0;
    }
    if (key == null || to == null && account == null) {
      throw new Refused("Give a key and --to FORM or --for ACCOUNT, or one of the files alone.", 2);
    }
    String id = KeyCommands.find(service, key).get("id").asText();
    JsonNode given = service.get("/keys/" + id + "/forms");
    String text = account == null ? form(given) : place(given);
    Output.write(out, text.getBytes(StandardCharsets.UTF_8));
    return 0;
  }

  private String form(JsonNode given) throws Refused {
    KeyConvert.form(to);
    for (JsonNode form : given.get("forms")) {
      if (form.get("form").asText().equals(to)) {
        if (form.hasNonNull("refusal")) {
          throw new Refused(form.get("refusal").asText());
        }
        return form.get("text").asText();
      }
    }
    throw new Refused("Keys are not given out as " + to + ".");
  }

  private String place(JsonNode given) throws Refused {
    for (JsonNode place : given.get("places")) {
      if (place.get("account").asText().equals(account)) {
        StringBuilder text = new StringBuilder();
        text.append("# For ").append(account).append(", as ").append(place.get("form").asText());
        text.append("\n").append(place.get("text").asText());
        if (!place.hasNonNull("clientBlock")) {
          return text.toString();
        }
        text.append("\n# The server's host keys, for known_hosts\n");
        text.append(place.get("knownHosts").asText());
        text.append("\n# The client's configuration\n").append(place.get("clientBlock").asText());
        for (JsonNode system : place.get("systems")) {
          text.append("\n# ").append(system.get("system").asText()).append(": ");
          text.append(system.get("file").asText()).append('\n');
          system.get("mind").forEach(m -> text.append("#   ").append(m.asText()).append('\n'));
        }
        return text.toString();
      }
    }
    throw new Refused("The key does not stand on " + account + ". See: tolvin key show " + key);
  }
}
