package tolvin.core.weak;

import java.math.BigInteger;

/** Arithmetic on numbers of many millions of bits. */
final class Large {
  private Large() {}

  static BigInteger multiply(BigInteger a, BigInteger b) {
    return a.multiply(b);
  }

  static BigInteger mod(BigInteger a, BigInteger n) {
    return a.compareTo(n) < 0 ? a : a.mod(n);
  }
}
