package tolvin.core.key;

import java.nio.charset.StandardCharsets;
import java.util.Optional;

/**
 * A type of public key that OpenSSH signs in with, by its type word.
 *
 * <p>Sources: RFC 4253 section 6.6 (ssh-rsa), RFC 5656 section 3.1 and 10.1 (ecdsa), RFC 8709
 * section 4 (ed25519), OpenSSH PROTOCOL.u2f (the two {@code sk-} types).
 */
public enum KeyType {
  RSA("ssh-rsa", "RSA", "", false),
  ECDSA_P256("ecdsa-sha2-nistp256", "ECDSA", "nistp256", false),
  ECDSA_P384("ecdsa-sha2-nistp384", "ECDSA", "nistp384", false),
  ECDSA_P521("ecdsa-sha2-nistp521", "ECDSA", "nistp521", false),
  ED25519("ssh-ed25519", "Ed25519", "", false),
  SK_ECDSA_P256("sk-ecdsa-sha2-nistp256@openssh.com", "ECDSA-SK", "nistp256", true),
  SK_ED25519("sk-ssh-ed25519@openssh.com", "Ed25519-SK", "", true);

  private final String word;
  private final String label;
  private final String curve;
  private final boolean hardware;
  private final byte[] wordBytes;

  KeyType(String word, String label, String curve, boolean hardware) {
    this.word = word;
    this.label = label;
    this.curve = curve;
    this.hardware = hardware;
    this.wordBytes = word.getBytes(StandardCharsets.US_ASCII);
  }

  /** The type word as it stands in a key line and inside the wire blob. */
  public String word() {
    return word;
  }

  /** The short name for people: RSA, ECDSA, Ed25519, with -SK for the hardware-backed types. */
  public String label() {
    return label;
  }

  /** The curve's identifier (RFC 5656 section 10.1), empty for types that name none. */
  public String curve() {
    return curve;
  }

  /** Whether the private key lives in a hardware security key. */
  public boolean hardware() {
    return hardware;
  }

  /** Finds a type by its word. */
  public static Optional<KeyType> ofWord(String word) {
    for (KeyType type : values()) {
      if (type.word.equals(word)) {
        return Optional.of(type);
      }
    }
    return Optional.empty();
  }

  /** Finds a type by the bytes of its word, without making a string of them; null if none. */
  static KeyType ofBytes(byte[] bytes, int from, int to) {
    for (KeyType type : VALUES) {
      if (java.util.Arrays.equals(type.wordBytes, 0, type.wordBytes.length, bytes, from, to)) {
        return type;
      }
    }
    return null;
  }

  private static final KeyType[] VALUES = values();
}
