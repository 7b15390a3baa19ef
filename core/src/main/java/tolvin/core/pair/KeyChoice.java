package tolvin.core.pair;

import java.util.Arrays;
import java.util.Optional;

/** The kinds of pair that can be made; the first is what is made unless somebody chooses. */
public enum KeyChoice {
  ED25519("ed25519", "Ed25519", 256),
  RSA_3072("rsa-3072", "RSA", 3072),
  RSA_4096("rsa-4096", "RSA", 4096),
  ECDSA_P256("ecdsa-p256", "secp256r1", 256),
  ECDSA_P384("ecdsa-p384", "secp384r1", 384),
  ECDSA_P521("ecdsa-p521", "secp521r1", 521);

  private final String word;
  private final String platformName;
  private final int bits;

  KeyChoice(String word, String platformName, int bits) {
    this.word = word;
    this.platformName = platformName;
    this.bits = bits;
  }

  /** What people choose it by. */
  public String word() {
    return word;
  }

  /** The Java platform's name of algorithm or curve. */
  String platformName() {
    return platformName;
  }

  /** The size in bits of modulus or curve. */
  public int bits() {
    return bits;
  }

  /** The one with this word. */
  public static Optional<KeyChoice> ofWord(String word) {
    return Arrays.stream(values()).filter(c -> c.word.equals(word)).findFirst();
  }
}
