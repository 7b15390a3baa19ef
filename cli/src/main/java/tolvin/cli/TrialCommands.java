package tolvin.cli;

import static tolvin.cli.Show.column;

import com.fasterxml.jackson.databind.JsonNode;
import java.io.PrintWriter;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;
import tolvin.connectors.http.AssertionTrials;
import tolvin.core.pair.Signer;
import tolvin.core.port.Login;
import tolvin.core.port.PortException;
import tolvin.core.port.Server;
import tolvin.core.port.TrialPort;

/** Trials. */
@Command(
    name = "trial",
    mixinStandardHelpOptions = true,
    description = "Attempts to sign in, with an explanation of what failed: run, list.",
    subcommands = {TrialCommands.Run.class, TrialCommands.List_.class})
final class TrialCommands {
  private static final int WIDTH = 92;

  private TrialCommands() {}

  /** Shows a trial: the answer, and the causes with evidence and way out. */
  static void show(Show show, JsonNode trial) {
    if (!show.isTable()) {
      show.one(
          trial,
          column("Account", "/account"),
          column("Accepted", "/accepted"),
          column("Answer", "/answer"),
          column("First cause", "/causes/0/kind"));
      return;
    }
    PrintWriter out = show.out();
    boolean accepted = trial.get("accepted").asBoolean();
    out.println(
        (accepted ? "✓ " : "✗ ")
            + trial.get("account").asText()
            + ": "
            + trial.get("answer").asText()
            + (trial.get("signed").asBoolean() ? " (signed by its holder: a seat proof)" : ""));
    int number = 1;
    for (JsonNode cause : trial.get("causes")) {
      out.println();
      wrapped(
          out,
          number++ + ". ",
          cause.get("sentence").asText() + " [" + cause.get("certainty").asText() + "]");
      cause.get("evidence").forEach(e -> wrapped(out, "   · ", e.asText()));
      wrapped(out, "   → ", cause.get("wayOut").asText());
    }
    if (!trial.get("unknowns").isEmpty()) {
      out.println("\nNot known:");
      trial.get("unknowns").forEach(u -> wrapped(out, "   ? ", u.asText()));
    }
    out.flush();
  }

  private static void wrapped(PrintWriter out, String head, String text) {
    String indent = " ".repeat(head.length());
    StringBuilder line = new StringBuilder(head);
    for (String word : text.split(" ")) {
      if (line.length() + word.length() > WIDTH && line.length() > head.length()) {
        out.println(line.toString().stripTrailing());
        line = new StringBuilder(indent);
      }
      line.append(word).append(' ');
    }
    out.println(line.toString().stripTrailing());
  }

  /** Runs a trial. */
  @Command(
      name = "run",
      mixinStandardHelpOptions = true,
      description = {
        "Sign in to an account and say what happened; if it failed, why, and the way out.",
        "By Tolvin, with a key from the coffer; or with --here from this machine, by its own",
        "OpenSSH with its own configuration, files and agent."
      },
      footer = {
        "",
        "Example: tolvin trial run fuel@sftp.skerrymoor.example --key SHA256:4Nfr",
        "         tolvin trial run isla@apps.skerrymoor.example --here --sign ~/.ssh/id_tolvin",
        "         tolvin trial run isla@apps.skerrymoor.example --here -- -i ~/.ssh/id_tolvin",
        "         tolvin trial run loader --assertion http://127.0.0.1:9000/token --sign key.pem"
      })
  static final class Run implements Callable<Integer> {
    @Mixin private Show show;
    @Mixin private SignWith with;

    @Parameters(
        index = "0",
        paramLabel = "ACCOUNT",
        description = "LOGIN@DESTINATION or id; with --assertion the account's name.")
    private String account;

    @Option(names = "--key", paramLabel = "KEY", description = "The registered key that is meant.")
    private String key;

    @Option(
        names = "--way",
        paramLabel = "WAY",
        description = "ssh, sftp, git or assertion. Default: as the destination is used, or ssh.")
    private String way;

    @Option(
        names = "--target",
        paramLabel = "PATH",
        description = "The directory to list, or the repository to look at.")
    private String target;

    @Option(names = "--here", description = "From this machine, by its own OpenSSH.")
    private boolean here;

    @Option(
        names = "--as",
        paramLabel = "HOST",
        description = "With --here: the name in the client's configuration, used as it stands.")
    private String alias;

    @Parameters(
        index = "1..*",
        paramLabel = "SSH-OPTION",
        description = "With --here, behind --: more options of ssh, such as -- -i FILE.")
    private List<String> ssh = List.of();

    @Option(
        names = "--sign",
        paramLabel = "KEY",
        description = "With --here: sign the report, so that it counts as a seat proof.")
    private String sign;

    @Option(
        names = "--password-file",
        paramLabel = "FILE",
        description = "With --here: the account's password, for accounts that want both.")
    private String passwordFile;

    @Option(
        names = "--assertion",
        paramLabel = "URL",
        description = "Sign in by an assertion (RFC 7523) at a token endpoint, from here.")
    private String assertion;

    @Override
    public Integer call() throws Refused {
      if (assertion != null) {
        return byAssertion();
      }
      Service service = Service.open();
      JsonNode found = Own.account(service, account);
      String keyId = key == null ? null : Own.key(service, key).get("id").asText();
      if (here) {
        return new TrialHere(service, show).run(found, keyId, ssh, sign, with, alias, passwordFile);
      }
      if (keyId == null) {
        throw new Refused("Say with which key: --key KEY. Or try from here: --here.", 2);
      }
      Map<String, Object> wish = new LinkedHashMap<>();
      wish.put("keyId", keyId);
      wish.put("way", way);
      wish.put("target", target);
      JsonNode trial = service.post("/accounts/" + found.get("id").asText() + "/trials", wish);
      show(show, trial);
      return trial.get("accepted").asBoolean() ? 0 : 1;
    }

    private int byAssertion() throws Refused {
      if (sign == null) {
        throw new Refused("Say which key signs: --sign KEY.", 2);
      }
      try (Signer signer = with.signer(sign)) {
        TrialPort.Trial trial =
            new AssertionTrials(java.time.Clock.systemUTC())
                .attempt(
                    new TrialPort.Attempt(
                        TrialPort.Way.ASSERTION,
                        new Login(new Server(assertion, "", 0, List.of()), account, signer),
                        assertion,
                        Optional.empty()));
        show.out().println((trial.accepted() ? "✓ " : "✗ ") + account + ": " + trial.answer());
        show.out().flush();
        return trial.accepted() ? 0 : 1;
      } catch (PortException e) {
        throw new Refused(e.whole());
      }
    }
  }

  /** Lists trials. */
  @Command(
      name = "list",
      mixinStandardHelpOptions = true,
      description = "List the latest trials on an account or with a key.",
      footer = {"", "Example: tolvin trial list --account fuel@sftp.skerrymoor.example"})
  static final class List_ implements Callable<Integer> {
    @Mixin private Show show;

    @Option(names = "--account", paramLabel = "ACCOUNT", description = "On this account.")
    private String account;

    @Option(names = "--key", paramLabel = "KEY", description = "With this key.")
    private String key;

    @Override
    public Integer call() throws Refused {
      Service service = Service.open();
      String query =
          (account == null
                  ? ""
                  : "account=" + AccountCommands.find(service, account).get("id").asText() + "&")
              + (key == null ? "" : "key=" + KeyCommands.find(service, key).get("id").asText());
      show.list(
          service.all("/trials?" + query),
          "No trials.",
          column("Account", "/account"),
          column("When", "/madeAt"),
          column("By", "/madeBy"),
          column("In", "/accepted"),
          column("Answer", "/answer"),
          column("First cause", "/causes/0/kind"));
      return 0;
    }
  }
}
