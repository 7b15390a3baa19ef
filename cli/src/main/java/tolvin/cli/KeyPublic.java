package tolvin.cli;

import java.util.List;
import java.util.Objects;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Model.CommandSpec;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;
import picocli.CommandLine.Spec;
import tolvin.api.key.CompareRequest;
import tolvin.api.key.ComparedView;
import tolvin.api.key.MatchView;
import tolvin.connectors.file.PrivateFiles;
import tolvin.core.key.PublicKey;
import tolvin.core.key.RefusedException;
import tolvin.core.pair.OpenSshFile;
import tolvin.core.pair.SecretPair;

/** Computes the public key of a private file, on this machine alone. */
@Command(
    name = "public",
    mixinStandardHelpOptions = true,
    description = {
      "Compute the public key of a private file: OpenSSH, PKCS#8, PKCS#1 or SEC1, PEM or DER.",
      "The passphrase is asked for here; nothing is sent but, with --compare, the fingerprint."
    },
    footer = {"", "Example: tolvin key public ~/.ssh/id_ed25519 --compare"})
final class KeyPublic implements Callable<Integer> {
  private static final int MOST = 64 * 1024;

  @Parameters(paramLabel = "FILE", description = "The private file.")
  private String file;

  @Option(
      names = "--passphrase-file",
      paramLabel = "FILE",
      description = "Read the passphrase from its first line instead of asking.")
  private String passphraseFile;

  @Option(names = "--comment", defaultValue = "", paramLabel = "TEXT", description = "A new one.")
  private String comment;

  @Option(names = "--compare", description = "Say whether this key is registered.")
  private boolean compare;

  @Spec private CommandSpec spec;

  @Override
  public Integer call() throws Refused {
    PrivateFiles.Seen seen = seen(Input.of(file).bytes(MOST));
    String shown = comment.isEmpty() ? seen.comment() : comment;
    spec.commandLine().getOut().println(seen.key().line(shown));
    spec.commandLine().getOut().flush();
    return compare ? compared(seen.key()) : 0;
  }

  private PrivateFiles.Seen seen(byte[] content) throws Refused {
    try {
      OpenSshFile.Opened opened =
          PrivateFiles.open(content, Secret.passphraseOf(file, passphraseFile));
      if (opened.comment().isEmpty() && comment.isEmpty()) {
        System.err.println("The file holds no comment. Give one with --comment.");
      }
      try (SecretPair pair = opened.pair().orElse(null)) {
        PublicKey key = pair == null ? opened.handle().orElseThrow().key() : pair.key();
        return new PrivateFiles.Seen(key, opened.comment());
      }
    } catch (RefusedException e) {
      PrivateFiles.Seen seen =
          PrivateFiles.inTheClear(content)
              .orElseThrow(() -> new Refused(file + ": " + e.refusal().whole()));
      System.err.println(
          file
              + " was not opened: "
              + e.refusal().whole()
              + " This is the public key that stands in the clear in it"
              + (seen.comment().isEmpty() ? "; its comment does not." : ", with its comment."));
      return seen;
    }
  }

  private int compared(PublicKey key) throws Refused {
    List<MatchView> matches =
        Service.open()
            .post("/keys/compare", new CompareRequest(key.fingerprintText()), ComparedView.class)
            .matches();
    boolean same = matches.size() == 1 && matches.get(0).same();
    System.err.println(
        same
            ? "It is registered, for "
                + Objects.requireNonNullElse(matches.get(0).identity(), "nobody yet")
                + "."
            : "It is not registered. Fingerprint: " + key.fingerprintText());
    return same ? 0 : 1;
  }
}
