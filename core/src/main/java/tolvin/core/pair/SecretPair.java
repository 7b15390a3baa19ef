package tolvin.core.pair;

import java.security.GeneralSecurityException;
import java.security.KeyFactory;
import java.security.PrivateKey;
import java.security.Signature;
import java.security.spec.PKCS8EncodedKeySpec;
import java.util.Arrays;
import java.util.HexFormat;
import tolvin.core.key.KeyType;
import tolvin.core.key.PublicKey;
import tolvin.core.key.WireOut;

/**
 * A key pair in memory, on its way out of or into the coffer or a file.
 *
 * @param key the public key
 * @param secret the 32 secret bytes of Ed25519 (RFC 8032 section 5.1.5); for other types the
 *     private key in PKCS#8 (RFC 5958)
 */
public record SecretPair(PublicKey key, byte[] secret) implements Signer {
  /** What stands before the 32 bytes in PKCS#8 (RFC 8410 section 7). */
  private static final byte[] ED25519_HEAD =
      HexFormat.of().parseHex("302e020100300506032b657004220420");

  /** The private key in PKCS#8 (RFC 5958); the caller overwrites it. */
  public byte[] pkcs8() {
    if (key.type() != KeyType.ED25519) {
      return secret.clone();
    }
    byte[] whole = Arrays.copyOf(ED25519_HEAD, ED25519_HEAD.length + secret.length);
    System.arraycopy(secret, 0, whole, ED25519_HEAD.length, secret.length);
    return whole;
  }

  /** The private key as the Java platform signs with it. */
  public PrivateKey privateKey() {
    byte[] whole = pkcs8();
    try {
      String name =
          switch (key.type()) {
            case ED25519 -> "Ed25519";
            case RSA -> "RSA";
            default -> "EC";
          };
      return KeyFactory.getInstance(name).generatePrivate(new PKCS8EncodedKeySpec(whole));
    } catch (GeneralSecurityException e) {
      throw new IllegalStateException("a private key does not open", e);
    } finally {
      Arrays.fill(whole, (byte) 0);
    }
  }

  @Override
  public byte[] sign(byte[] data, String algorithm) throws SigningException {
    return signed(key, privateKey(), data, algorithm);
  }

  /**
   * Signs with a private key of the Java platform, which may stand for one inside a module.
   *
   * @throws SigningException if the algorithm is not one of the key's, or the platform refuses
   */
  public static byte[] signed(PublicKey key, PrivateKey privateKey, byte[] data, String algorithm)
      throws SigningException {
    SignatureAlgorithm chosen =
        SignatureAlgorithm.ofWord(algorithm)
            .filter(a -> a.type() == key.type())
            .orElseThrow(
                () ->
                    new SigningException(
                        "A key of type "
                            + key.type().word()
                            + " does not sign with "
                            + algorithm
                            + ".",
                        "Choose an algorithm of its type."));
    try {
      Signature signature = Signature.getInstance(chosen.platformName());
      signature.initSign(privateKey);
      signature.update(data);
      byte[] bytes = signature.sign();
      return new WireOut()
          .string(chosen.word())
          .string(chosen.width() > 0 ? EcdsaNumbers.toWire(bytes) : bytes)
          .toBytes();
    } catch (GeneralSecurityException e) {
      throw new SigningException(
          "The private key did not sign: " + e.getMessage() + ".",
          "Look whether the module that holds it is open.");
    }
  }

  /** Overwrites the secret bytes. */
  @Override
  public void close() {
    Arrays.fill(secret, (byte) 0);
  }

  @Override
  public String toString() {
    return "SecretPair[" + key + "]";
  }
}
