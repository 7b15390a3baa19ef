package tolvin.core.weak;

import java.math.BigInteger;
import org.apfloat.ApfloatContext;
import org.apfloat.Apint;

/**
 * Arithmetic on numbers of many millions of bits. The platform's multiplication is Toom and Cook's,
 * which beyond some millions of bits is many times slower than one by number-theoretic transforms;
 * those are taken from a library.
 */
final class Large {
  /** Below this many bits the platform is faster, conversions counted in. */
  private static final int LARGE = 6_000_000;

  private static final int RADIX = 16; // conversions between powers of two are linear

  static {
    // The library would put large numbers into files of the working directory; here they stay in
    // memory, where the platform keeps its own.
    ApfloatContext.getGlobalContext().setMemoryThreshold(Long.MAX_VALUE);
  }

  private Large() {}

  static BigInteger multiply(BigInteger a, BigInteger b) {
    return Math.min(a.bitLength(), b.bitLength()) < LARGE
        ? a.multiply(b)
        : new Apint(a, RADIX).multiply(new Apint(b, RADIX)).toBigInteger();
  }

  static BigInteger mod(BigInteger a, BigInteger n) {
    if (a.compareTo(n) < 0) {
      return a;
    }
    return n.bitLength() < LARGE || a.bitLength() - n.bitLength() < LARGE
        ? a.mod(n)
        : new Apint(a, RADIX).mod(new Apint(n, RADIX)).toBigInteger();
  }
}
