package tolvin.cli;

import com.fasterxml.jackson.databind.JsonNode;
import java.io.ByteArrayInputStream;
import java.io.Console;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.security.GeneralSecurityException;
import java.security.KeyPair;
import java.util.Iterator;
import java.util.Map;
import java.util.concurrent.Callable;
import org.apache.sshd.common.NamedResource;
import org.apache.sshd.common.config.keys.FilePasswordProvider;
import org.apache.sshd.common.util.buffer.ByteArrayBuffer;
import org.apache.sshd.common.util.security.SecurityUtils;
import picocli.CommandLine.Command;
import picocli.CommandLine.Model.CommandSpec;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;
import picocli.CommandLine.Spec;
import tolvin.core.key.PrivateFileHead;
import tolvin.core.key.PublicBlob;
import tolvin.core.key.PublicKey;
import tolvin.core.key.RefusedException;

/** Computes the public half of a private file, on this machine alone. */
@Command(
    name = "public",
    mixinStandardHelpOptions = true,
    description = {
      "Compute the public half of a private file: OpenSSH, PKCS#8, PKCS#1 or SEC1.",
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
      Iterable<KeyPair> pairs =
          SecurityUtils.loadKeyPairIdentities(
              null, NamedResource.ofName(file), new ByteArrayInputStream(content), passphrase());
      Iterator<KeyPair> first = pairs == null ? null : pairs.iterator();
      if (first == null || !first.hasNext()) {
        throw new Refused(
            file + " is no private file that can be read: OpenSSH, PKCS#8, PKCS#1 or SEC1.");
      }
      ByteArrayBuffer blob = new ByteArrayBuffer();
      blob.putRawPublicKey(first.next().getPublic());
      return PublicBlob.read(blob.getCompactData());
    } catch (GeneralSecurityException | IOException | RuntimeException e) {
      return head(content);
    } catch (RefusedException e) {
      throw new Refused(file + ": " + e.refusal().whole());
    }
  }

  /** What stands in the clear at the head of an OpenSSH file, when the rest cannot be opened. */
  private PublicKey head(byte[] content) throws Refused {
    try {
      PublicKey key =
          PrivateFileHead.publicKey(
              java.util.Arrays.copyOf(content, PrivateFileHead.lengthOfPublicPart(content)));
      System.err.println(
          "The private half could not be opened (a wrong passphrase, or a hardware key's file);"
              + " this is the public half that stands in the clear at its head.");
      return key;
    } catch (RefusedException e) {
      throw new Refused(
          file
              + " could not be opened: the passphrase is wrong, or it is no private file"
              + " (OpenSSH, PKCS#8, PKCS#1 or SEC1).");
    }
  }

  private FilePasswordProvider passphrase() {
    return (session, resource, retry) -> {
      if (passphraseFile != null) {
        return Files.readAllLines(Path.of(passphraseFile)).stream().findFirst().orElse("");
      }
      Console console = System.console();
      if (console == null) {
        throw new IOException("nobody can be asked for the passphrase");
      }
      char[] typed = console.readPassword("Passphrase of %s: ", file);
      return typed == null ? "" : new String(typed);
    };
  }

  private int compared(PublicKey key) throws Refused {
    JsonNode matches =
        Service.open().post("/keys/compare", Map.of("text", key.fingerprintText())).get("matches");
    boolean same = matches.size() == 1 && matches.get(0).get("same").asBoolean();
    System.err.println(
        same
            ? "It is registered, for " + matches.get(0).path("identity").asText("nobody yet") + "."
            : "It is not registered. Fingerprint: " + key.fingerprintText());
    return same ? 0 : 1;
  }
}
