package tolvin.cli;

import java.nio.charset.StandardCharsets;
import java.util.Set;
import java.util.UUID;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;
import tolvin.api.key.FormView;
import tolvin.api.key.GivenOutView;
import tolvin.api.key.PlaceView;
import tolvin.api.key.SystemView;

/** Gives registered keys out. */
@Command(
    name = "give",
    mixinStandardHelpOptions = true,
    description = {
      "Give a registered key out in a form, or for an account with all that its "
          + "client needs; or the files about all keys: revocation-list, allowed-signers, "
          + "known-hosts."
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
    UUID id = KeyCommands.find(service, key).id();
    GivenOutView given = service.get("/keys/" + id + "/forms", GivenOutView.class);
    String text = account == null ? form(given) : place(given);
    Output.write(out, text.getBytes(StandardCharsets.UTF_8));
    return 0;
  }

  private String form(GivenOutView given) throws Refused {
    KeyConvert.form(to);
    for (FormView form : given.forms()) {
      if (form.form().equals(to)) {
        if (form.refusal() != null) {
          throw new Refused(form.refusal());
        }
        return form.text();
      }
    }
    throw new Refused("Keys are not given out as " + to + ".");
  }

  private String place(GivenOutView given) throws Refused {
    for (PlaceView place : given.places()) {
      if (place.account().equals(account)) {
        StringBuilder text = new StringBuilder();
        text.append("# For ").append(account).append(", as ").append(place.form());
        text.append("\n").append(place.text());
        if (place.clientBlock() == null) {
          return text.toString();
        }
        text.append("\n# The server's host keys, for known_hosts\n");
        text.append(place.knownHosts());
        text.append("\n# The client's configuration\n").append(place.clientBlock());
        for (SystemView system : place.systems()) {
          text.append("\n# ").append(system.system()).append(": ");
          text.append(system.file()).append('\n');
          system.mind().forEach(m -> text.append("#   ").append(m).append('\n'));
        }
        return text.toString();
      }
    }
    throw new Refused("The key does not stand on " + account + ". See: tolvin key show " + key);
  }
}
