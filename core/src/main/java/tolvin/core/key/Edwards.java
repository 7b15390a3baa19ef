package tolvin.core.key;

import java.math.BigInteger;
import java.util.HashSet;
import java.util.Set;
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

  /**
   * The y of the eight points whose order divides the cofactor: the neutral element, the point of
   * order two, both of order four and the four of order eight (the curve of RFC 8032 section 5.1).
   */
  private static final Set<BigInteger> LOW_ORDER = lowOrder();

  private Edwards() {}

  private static Set<BigInteger> lowOrder() {
    BigInteger one = BigInteger.ONE;
    // Doubling a point of order eight gives y = 0, so x² = -y². On -x² + y² = 1 + d·x²·y² that
    // leaves d·s² + 2s - 1 = 0 for s = y², hence s = (-1 ± root of (1 + d)) / d.
    BigInteger root = one.add(D).mod(P).modPow(P.add(BigInteger.valueOf(3)).shiftRight(3), P);
    BigInteger minusOneRoot =
        BigInteger.TWO.modPow(P.subtract(one).shiftRight(2), P); // a square root of -1
    if (!root.multiply(root).mod(P).equals(one.add(D).mod(P))) {
      root = root.multiply(minusOneRoot).mod(P);
    }
    Set<BigInteger> all = new HashSet<>(Set.of(BigInteger.ZERO, one, P.subtract(one)));
    for (BigInteger r : new BigInteger[] {root, P.subtract(root)}) {
      BigInteger square = r.subtract(one).multiply(D.modInverse(P)).mod(P);
      BigInteger y = square.modPow(P.add(BigInteger.valueOf(3)).shiftRight(3), P);
      for (BigInteger candidate : new BigInteger[] {y, y.multiply(minusOneRoot).mod(P)}) {
        if (candidate.multiply(candidate).mod(P).equals(square)) {
          all.add(candidate);
          all.add(P.subtract(candidate));
        }
      }
    }
    return Set.copyOf(all);
  }

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
    if (LOW_ORDER.contains(y)) {
      throw new RefusedException(
          Reason.LOW_ORDER,
          "This Ed25519 point is one of the few of low order, for which anybody can sign.",
          "Do not trust its sender; a key that was really made is never one of them.",
          -1);
    }
  }
}
