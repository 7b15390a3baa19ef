package tolvin.core.journal;

import java.security.GeneralSecurityException;
import java.security.KeyFactory;
import java.security.PublicKey;
import java.security.Signature;
import java.security.spec.X509EncodedKeySpec;

/** Checks the signatures over links: Ed25519 (RFC 8032) with a key in SPKI (RFC 8410). */
public final class Seals {
  private static final String ALGORITHM = "Ed25519";

  private Seals() {}

  /**
   * A key that signatures are checked with.
   *
   * @param spki its SubjectPublicKeyInfo
   * @throws GeneralSecurityException if it is none
   */
  public static PublicKey key(byte[] spki) throws GeneralSecurityException {
    return KeyFactory.getInstance(ALGORITHM).generatePublic(new X509EncodedKeySpec(spki));
  }

  /** Whether a signature is a key's over a link. */
  public static boolean verifies(PublicKey key, byte[] link, byte[] signature) {
    try {
      Signature check = Signature.getInstance(ALGORITHM);
      check.initVerify(key);
      check.update(link);
      return check.verify(signature);
    } catch (GeneralSecurityException broken) {
      return false;
    }
  }
}
