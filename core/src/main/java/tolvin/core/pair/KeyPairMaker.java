package tolvin.core.pair;

import java.security.GeneralSecurityException;
import java.security.KeyPair;
import java.security.KeyPairGenerator;
import java.security.SecureRandom;
import java.security.interfaces.EdECPrivateKey;
import java.security.spec.ECGenParameterSpec;
import java.security.spec.NamedParameterSpec;
import tolvin.core.form.DerKeys;
import tolvin.core.key.RefusedException;

/** Makes key pairs: Ed25519 (RFC 8032), RSA with the exponent 65537, ECDSA on the NIST curves. */
public final class KeyPairMaker {
  private KeyPairMaker() {}

  /** Makes a new Ed25519 pair. */
  public static SecretPair ed25519(SecureRandom random) {
    return make(KeyChoice.ED25519, random);
  }

  /** Makes a new pair. */
  public static SecretPair make(KeyChoice choice, SecureRandom random) {
    try {
      KeyPair pair = generator(choice, random).generateKeyPair();
      byte[] secret =
          pair.getPrivate() instanceof EdECPrivateKey edwards
              ? edwards.getBytes().orElseThrow()
              : pair.getPrivate().getEncoded();
      return new SecretPair(DerKeys.readSpki(pair.getPublic().getEncoded()), secret);
    } catch (GeneralSecurityException | RefusedException e) {
      throw new IllegalStateException("this Java platform makes no " + choice.word(), e);
    }
  }

  private static KeyPairGenerator generator(KeyChoice choice, SecureRandom random)
      throws GeneralSecurityException {
    KeyPairGenerator generator =
        KeyPairGenerator.getInstance(
            choice.name().startsWith("ECDSA") ? "EC" : choice.platformName());
    switch (choice) {
      case ED25519 -> generator.initialize(NamedParameterSpec.ED25519, random);
      case RSA_3072, RSA_4096 -> generator.initialize(choice.bits(), random);
      default -> generator.initialize(new ECGenParameterSpec(choice.platformName()), random);
    }
    return generator;
  }
}
