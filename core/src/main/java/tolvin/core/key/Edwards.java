package tolvin.core.key;

import java.math.BigInteger;
import tolvin.core.key.Refusal.Reason;

/**
 * Whether 32 bytes are a point of edwards25519 in its one spelling (RFC 8032 section 5.1.3): y
 * below p, an x that exists, and no sign on x = 0.
 *
 * <p>An x exists if and only if u/v = (y²-1)/(dy²+1) is a square, which holds exactly when u·v is
 * one. A Jacobi symbol answers that some fifty times faster than taking the root.
 */
final class Edwards {
  static final int LENGTH = 32;
  private static final BigInteger P =
      BigInteger.ONE.shiftLeft(255).subtract(BigInteger.valueOf(19));
  private static final BigInteger D =
      BigInteger.valueOf(-121665).multiply(BigInteger.valueOf(121666).modInverse(P)).mod(P);

  private Edwards() {}

  static void check(byte[] data, int from) throws RefusedException {
    byte[] bigEndian = new byte[LENGTH];
    for (int i = 0; i < LENGTH; i++) {
      bigEndian[i] = data[from + LENGTH - 1 - i];
    }
    boolean sign = bigEndian[0] < 0;
    bigEndian[0] &= 0x7f;
    BigInteger y = new BigInteger(1, bigEndian);
    if (y.compareTo(P) >= 0) {
      throw new RefusedException(
          Reason.OTHER_SPELLING,
          "The Ed25519 point is written with a number beyond the field's prime.",
          "Ask for the public file again; a key has one spelling only.",
          -1);
    }
    BigInteger square = y.multiply(y).mod(P);
    BigInteger u = square.subtract(BigInteger.ONE);
    BigInteger product = u.multiply(D.multiply(square).add(BigInteger.ONE)).mod(P);
    boolean zero = product.signum() == 0;
    if (zero ? sign : Jacobi.symbol(product, P) != 1) {
      throw new RefusedException(
          Reason.NOT_ON_CURVE,
          "These 32 bytes are not a point on the Ed25519 curve, so this is not a key.",
          "Copy the line again; if it stays so, the key was damaged where it was made.",
          -1);
    }
  }
}
