package tolvin.core.key;

import java.math.BigInteger;

/**
 * The Jacobi symbol of numbers below 2^256 by the binary algorithm (Bach and Shallit, Algorithmic
 * Number Theory, section 5.9), on four 64-bit limbs instead of big integers.
 */
final class Jacobi {
  private long a0;
  private long a1;
  private long a2;
  private long a3;
  private long n0;
  private long n1;
  private long n2;
  private long n3;

  private Jacobi(BigInteger a, BigInteger n) {
    a0 = a.longValue();
    a1 = a.shiftRight(64).longValue();
    a2 = a.shiftRight(128).longValue();
    a3 = a.shiftRight(192).longValue();
    n0 = n.longValue();
    n1 = n.shiftRight(64).longValue();
    n2 = n.shiftRight(128).longValue();
    n3 = n.shiftRight(192).longValue();
  }

  /**
   * The symbol (a/n).
   *
   * @param a from 0 to n - 1
   * @param n odd and below 2^256
   * @return 1, -1, or 0 if they share a factor
   */
  static int symbol(BigInteger a, BigInteger n) {
    return new Jacobi(a, n).run();
  }

  private int run() {
    int flips = 0;
    while ((a0 | a1 | a2 | a3) != 0) {
      int twos = dropTwos();
      // (2/n) is -1 exactly when n is 3 or 5 modulo 8.
      flips ^= twos & (int) (n0 >>> 1 ^ n0 >>> 2);
      if (aBelowN()) {
        // Reciprocity: a sign for both being 3 modulo 4.
        flips ^= (int) (a0 >>> 1 & n0 >>> 1);
        swap();
      }
      subtract();
    }
    boolean coprime = n0 == 1 && (n1 | n2 | n3) == 0;
    return coprime ? 1 - 2 * (flips & 1) : 0;
  }

  private int dropTwos() {
    int dropped = 0;
    while (a0 == 0) {
      a0 = a1;
      a1 = a2;
      a2 = a3;
      a3 = 0;
      dropped += 64;
    }
    int twos = Long.numberOfTrailingZeros(a0);
    if (twos > 0) {
      int rest = 64 - twos;
      a0 = a0 >>> twos | a1 << rest;
      a1 = a1 >>> twos | a2 << rest;
      a2 = a2 >>> twos | a3 << rest;
      a3 = a3 >>> twos;
    }
    return dropped + twos;
  }

  private boolean aBelowN() {
    if (a3 != n3) {
      return Long.compareUnsigned(a3, n3) < 0;
    }
    if (a2 != n2) {
      return Long.compareUnsigned(a2, n2) < 0;
    }
    if (a1 != n1) {
      return Long.compareUnsigned(a1, n1) < 0;
    }
    return Long.compareUnsigned(a0, n0) < 0;
  }

  private void swap() {
    long t0 = a0;
    long t1 = a1;
    long t2 = a2;
    long t3 = a3;
    a0 = n0;
    a1 = n1;
    a2 = n2;
    a3 = n3;
    n0 = t0;
    n1 = t1;
    n2 = t2;
    n3 = t3;
  }

  private void subtract() {
    long r0 = a0 - n0;
    long borrow = Long.compareUnsigned(a0, n0) < 0 ? 1 : 0;
    long r1 = a1 - n1 - borrow;
    borrow = Long.compareUnsigned(a1, n1) < 0 || borrow == 1 && a1 == n1 ? 1 : 0;
    long r2 = a2 - n2 - borrow;
    borrow = Long.compareUnsigned(a2, n2) < 0 || borrow == 1 && a2 == n2 ? 1 : 0;
    a3 = a3 - n3 - borrow;
    a0 = r0;
    a1 = r1;
    a2 = r2;
  }
}
