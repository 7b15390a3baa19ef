package tolvin.cli;

import static tolvin.cli.Show.column;

import java.io.PrintWriter;
import java.nio.charset.StandardCharsets;
import java.util.List;
import java.util.Optional;
import java.util.UUID;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Model.CommandSpec;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;
import picocli.CommandLine.Spec;
import tolvin.api.trial.CauseView;
import tolvin.api.trial.TrialRequest;
import tolvin.api.trial.TrialView;
import tolvin.connectors.http.AssertionTrials;
import tolvin.core.diagnosis.CauseKind;
import tolvin.core.pair.Signer;
import tolvin.core.port.Login;
import tolvin.core.port.PortException;
import tolvin.core.port.Server;
import tolvin.core.port.TrialPort;
import tolvin.core.word.Words;

/** Trials. */
@Command(
    name = "trial",
    mixinStandardHelpOptions = true,
    description = "Attempts to sign in, with an explanation of what failed: run, list, text.",
    subcommands = {TrialCommands.Run.class, TrialCommands.List_.class, TrialCommands.Text.class})
final class TrialCommands {
  private static final int WIDTH = 92;

  private TrialCommands() {}

  private static CauseKind firstCause(TrialView trial) {
    return trial.causes().isEmpty() ? null : trial.causes().get(0).kind();
  }

  /** Shows a trial: the answer, and the causes with evidence and remedy. */
  static void show(Show show, TrialView trial) {
    if (!show.isTable()) {
      show.one(
          trial,
          column("Account", TrialView::account),
          column("Accepted", TrialView::accepted),
          column("Answer", TrialView::answer),
          column("First cause", TrialCommands::firstCause));
      return;
    }
    PrintWriter out = show.out();
    boolean accepted = trial.accepted();
    out.println(
        (accepted ? "✓ " : "✗ ")
            + trial.account()
            + ": "
            + trial.answer()
            + (trial.signed() ? " (signed by its holder: a seat proof)" : ""));
    int number = 1;
    for (CauseView cause : trial.causes()) {
      out.println();
      wrapped(out, number++ + ". ", cause.sentence() + " [" + Words.of(cause.certainty()) + "]");
      cause.evidence().forEach(e -> wrapped(out, "   · ", e));
      wrapped(out, "   → ", cause.remedy());
    }
    if (!trial.unknowns().isEmpty()) {
      out.println("\nNot known:");
      trial.unknowns().forEach(u -> wrapped(out, "   ? ", u));
    }
    if (!accepted) {
      out.println("\nAs a text to send to its administrator: tolvin trial text " + trial.id());
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
        "Sign in to an account and say what happened; if it failed, why, and the remedy.",
        "By Tolvin, with a key from the coffer; or with --here from this machine, by "
            + "its own OpenSSH with its own configuration, files and agent."
      },
      footer = {
        "",
        "Example: tolvin trial run fuel@sftp.skerrymoor.example --key SHA256:4Nfr",
        "         tolvin trial run isla@apps.skerrymoor.example --here --sign "
            + "~/.ssh/id_tolvin",
        "         tolvin trial run isla@apps.skerrymoor.example --here -- -i " + "~/.ssh/id_tolvin",
        "         tolvin trial run loader --assertion http://127.0.0.1:9000/token "
            + "--sign key.pem"
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
    private TrialPort.Way way;

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
      UUID found = Own.account(service, account);
      UUID keyId = key == null ? null : Own.key(service, key);
      if (here) {
        return new TrialHere(service, show).run(found, keyId, ssh, sign, with, alias, passwordFile);
      }
      if (keyId == null) {
        throw new Refused("Say with which key: --key KEY. Or try from here: --here.", 2);
      }
      TrialView trial =
          service.post(
              "/accounts/" + found + "/trials",
              new TrialRequest(keyId, way, target),
              TrialView.class);
      show(show, trial);
      return trial.accepted() ? 0 : 1;
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
          (account == null ? "" : "account=" + AccountCommands.find(service, account).id() + "&")
              + (key == null ? "" : "key=" + KeyCommands.find(service, key).id());
      show.list(
          service.all("/trials?" + query, TrialView.class),
          "No trials.",
          column("Account", TrialView::account),
          column("When", TrialView::madeAt),
          column("By", TrialView::madeBy),
          column("In", TrialView::accepted),
          column("Answer", TrialView::answer),
          column("First cause", TrialCommands::firstCause),
          column("Id", TrialView::id));
      return 0;
    }
  }

  /** Writes a trial as a text for others. */
  @Command(
      name = "text",
      mixinStandardHelpOptions = true,
      description = {
        "A trial as a text to send to the other side's administrator: what was tried, "
            + "when, from where, what both sides said, fingerprints and versions. Nothing "
            + "secret is in it."
      },
      footer = {
        "",
        "Example: tolvin trial text 0197f2c4-7d11-7a33-8f6a-3f0d4a8f9c21 > refused.txt"
      })
  static final class Text implements Callable<Integer> {
    @Parameters(paramLabel = "TRIAL", description = "Its id: tolvin trial list")
    private String trial;

    @Spec private CommandSpec spec;

    @Override
    public Integer call() throws Refused {
      byte[] text = Service.open().bytes("/trials/" + Service.query(trial) + "/support-text");
      PrintWriter out = spec.commandLine().getOut();
      out.print(new String(text, StandardCharsets.UTF_8));
      out.flush();
      return 0;
    }
  }
}
