package tolvin.core.pair;

import java.util.Arrays;
import java.util.List;
import java.util.Optional;
import tolvin.core.key.KeyType;

/**
 * The signature algorithms that are made or accepted: RFC 8332 section 3 (RSA), RFC 5656 section
 * 3.1.2 (ECDSA), RFC 8709 section 6 (Ed25519), OpenSSH PROTOCOL.u2f (hardware-backed, and the form
 * that browsers make). {@code ssh-rsa}, which signs a SHA-1 hash, is none of them.
 */
public enum SignatureAlgorithm {
  ED25519("ssh-ed25519", KeyType.ED25519, "Ed25519", 0),
  RSA_SHA512("rsa-sha2-512", KeyType.RSA, "SHA512withRSA", 0),
  RSA_SHA256("rsa-sha2-256", KeyType.RSA, "SHA256withRSA", 0),
  ECDSA_P256("ecdsa-sha2-nistp256", KeyType.ECDSA_P256, "SHA256withECDSAinP1363Format", 32),
  ECDSA_P384("ecdsa-sha2-nistp384", KeyType.ECDSA_P384, "SHA384withECDSAinP1363Format", 48),
  ECDSA_P521("ecdsa-sha2-nistp521", KeyType.ECDSA_P521, "SHA512withECDSAinP1363Format", 66),
  SK_ED25519("sk-ssh-ed25519@openssh.com", KeyType.SK_ED25519, "Ed25519", 0),
  SK_ECDSA(
      "sk-ecdsa-sha2-nistp256@openssh.com",
      KeyType.SK_ECDSA_P256,
      "SHA256withECDSAinP1363Format",
      32),
  SK_ECDSA_BROWSER(
      "webauthn-sk-ecdsa-sha2-nistp256@openssh.com",
      KeyType.SK_ECDSA_P256,
      "SHA256withECDSAinP1363Format",
      32);

  private final String word;
  private final KeyType type;
  private final String platformName;
  private final int width;

  SignatureAlgorithm(String word, KeyType type, String platformName, int width) {
    this.word = word;
    this.type = type;
    this.platformName = platformName;
    this.width = width;
  }

  /** The word that stands in a signature. */
  public String word() {
    return word;
  }

  /** The type of key that signs with it. */
  public KeyType type() {
    return type;
  }

  /** The Java platform's name of it. */
  public String platformName() {
    return platformName;
  }

  /** The bytes of each of ECDSA's two numbers; 0 for the others. */
  public int width() {
    return width;
  }

  /** The one that is usual for a type. */
  public static SignatureAlgorithm usual(KeyType type) {
    return of(type).get(0);
  }

  /** Those of a type, the usual one first. */
  public static List<SignatureAlgorithm> of(KeyType type) {
    return Arrays.stream(values()).filter(a -> a.type == type).toList();
  }

  /** The one with this word. */
  public static Optional<SignatureAlgorithm> ofWord(String word) {
    return Arrays.stream(values()).filter(a -> a.word.equals(word)).findFirst();
  }
}
