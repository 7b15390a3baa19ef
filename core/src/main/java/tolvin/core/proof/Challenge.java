package tolvin.core.proof;

import java.security.SecureRandom;
import java.time.Instant;
import java.time.temporal.ChronoUnit;
import java.util.Base64;
import tolvin.core.word.Words;

/**
 * What somebody signs to prove that they hold a private key: a few lines that say what the proof is
 * for, so that a signature given elsewhere is worth nothing here.
 *
 * @param purpose what is proven
 * @param service the service that asks
 * @param identity whose key it is to be
 * @param about what else it is about, such as an account; may be empty
 * @param nonce 24 random bytes in base64url
 * @param expires until when it is good, to the second
 */
public record Challenge(
    Purpose purpose, String service, String identity, String about, String nonce, Instant expires) {

  /** What a signature over a challenge proves; each has a namespace of its own. */
  public enum Purpose {
    /** That somebody holds the private key of a key. */
    POSSESSION("possession@tolvin"),
    /** That a holder signed in to an account from their own machine. */
    SIGN_IN("sign-in@tolvin");

    private final String namespace;

    Purpose(String namespace) {
      this.namespace = namespace;
    }

    /** The namespace of the signature (OpenSSH PROTOCOL.sshsig). */
    public String namespace() {
      return namespace;
    }

    /** The word in the challenge's text. */
    public String word() {
      return Words.of(this);
    }
  }

  /** Makes a new one. */
  public static Challenge make(
      Purpose purpose,
      String service,
      String identity,
      String about,
      Instant expires,
      SecureRandom random) {
    byte[] bytes = new byte[24];
    random.nextBytes(bytes);
    return new Challenge(
        purpose,
        service,
        identity,
        about,
        Base64.getUrlEncoder().withoutPadding().encodeToString(bytes),
        expires.truncatedTo(ChronoUnit.SECONDS));
  }

  /** The text that is signed, byte for byte; it ends in a line feed. */
  public String text() {
    return "Tolvin challenge 1\n"
        + "purpose: "
        + purpose.word()
        + "\nservice: "
        + service
        + "\nidentity: "
        + identity
        + (about.isEmpty() ? "" : "\nabout: " + about)
        + "\nnonce: "
        + nonce
        + "\nexpires: "
        + expires
        + "\n";
  }
}
