package tolvin.core.key;

import java.math.BigInteger;

/**
 * The numbers of a public key apart from any notation, for the forms that write them differently. A
 * key made from numbers passes the same checks as one that was read from its wire blob.
 */
public sealed interface KeyNumbers {

  /**
   * RSA (RFC 8017 section 3.1).
   *
   * @param modulus n
   * @param exponent e
   */
  record Rsa(BigInteger modulus, BigInteger exponent) implements KeyNumbers {}

  /**
   * A point on a curve, for ECDSA.
   *
   * @param curve the curve's identifier (RFC 5656 section 10.1)
   * @param point the point, uncompressed (SEC 1 section 2.3.3)
   */
  record Point(String curve, byte[] point) implements KeyNumbers {}

  /**
   * An Edwards point, for Ed25519.
   *
   * @param point 32 bytes (RFC 8032 section 5.1.2)
   */
  record Edwards25519(byte[] point) implements KeyNumbers {}

  /**
   * The key with these numbers, not hardware-backed.
   *
   * @throws RefusedException if they are no key
   */
  default PublicKey key() throws RefusedException {
    WireOut out = new WireOut();
    if (this instanceof Rsa rsa) {
      out.string(KeyType.RSA.word()).integer(rsa.exponent()).integer(rsa.modulus());
    } else if (this instanceof Point point) {
      out.string("ecdsa-sha2-" + point.curve()).string(point.curve()).string(point.point());
    } else {
      out.string(KeyType.ED25519.word()).string(((Edwards25519) this).point());
    }
    return PublicBlob.read(out.toBytes());
  }

  /** The numbers inside a blob that was checked. */
  static KeyNumbers of(KeyType type, byte[] blob) {
    try {
      Wire wire = new Wire(blob);
      wire.string("type word");
      return switch (type) {
        case RSA -> {
          BigInteger exponent = wire.positive("exponent");
          yield new Rsa(wire.positive("modulus"), exponent);
        }
        case ED25519, SK_ED25519 -> new Edwards25519(wire.string("point"));
        default -> {
          wire.string("curve name");
          yield new Point(type.curve(), wire.string("point"));
        }
      };
    } catch (RefusedException impossible) {
      throw new IllegalStateException("the blob was checked when it was read", impossible);
    }
  }
}
