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
import tolvin.core.key.PrivateFileHead;
import tolvin.core.key.PublicKey;
import tolvin.core.key.RefusedException;
import tolvin.core.pair.OpenSshFile;
import tolvin.core.pair.SecretPair;

/** Computes the public key of a private file, on this machine alone. */
@Command(
    name = "public",
    mixinStandardHelpOptions = true,
    description = {
      "Compute the public key of a private file: OpenSSH, PKCS#8, PKCS#1 or SEC1.",
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
    byte[] content = Input.of(file).bytes(MOST);
    PublicKey key = computed(content);
    spec.commandLine().getOut().println(key.line(comment));
    spec.commandLine().getOut().flush();
    if (comment.isEmpty()) {
      System.err.println(
          "The comment is gone: it cannot be computed. Give a new one with --comment.");
    }
    return compare ? compared(key) : 0;
  }

  private PublicKey computed(byte[] content) throws Refused {
    try {
      OpenSshFile.Opened opened =
          PrivateFiles.open(content, Secret.passphraseOf(file, passphraseFile));
      try (SecretPair pair = opened.pair().orElse(null)) {
        return pair == null ? head(content) : pair.key();
      }
    } catch (RefusedException e) {
      return head(content);
    }
  }

  /** What stands in the clear at the head of an OpenSSH file, when the rest cannot be opened. */
  private PublicKey head(byte[] content) throws Refused {
    try {
      PublicKey key =
          PrivateFileHead.publicKey(
              java.util.Arrays.copyOf(content, PrivateFileHead.lengthOfPublicPart(content)));
      System.err.println(
          "The private key could not be opened (a wrong passphrase, or a hardware key's file);"
              + " this is the public key that stands in the clear at its head.");
      return key;
    } catch (RefusedException e) {
      throw new Refused(
          file
              + " could not be opened: the passphrase is wrong, or it is no private file"
              + " (OpenSSH, PKCS#8, PKCS#1 or SEC1).");
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
