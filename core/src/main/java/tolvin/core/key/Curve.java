package tolvin.core.key;

import java.math.BigInteger;
import java.util.Map;
import tolvin.core.key.Refusal.Reason;

/**
 * The short Weierstrass curves y² = x³ - 3x + b over a prime field that SSH uses; parameters from
 * SEC 2 version 2.0 (also FIPS 186-4, D.1.2). All three have cofactor 1, so a point on the curve is
 * in the group.
 */
record Curve(int bits, BigInteger p, BigInteger b) {
  private static final BigInteger THREE = BigInteger.valueOf(3);
  private static final Map<String, Curve> CURVES =
      Map.of(
          "nistp256",
          new Curve(
              256,
              two(256).subtract(two(224)).add(two(192)).add(two(96)).subtract(BigInteger.ONE),
              hex("5ac635d8aa3a93e7b3ebbd55769886bc651d06b0cc53b0f63bce3c3e27d2604b")),
          "nistp384",
          new Curve(
              384,
              two(384).subtract(two(128)).subtract(two(96)).add(two(32)).subtract(BigInteger.ONE),
              hex(
                  "b3312fa7e23ee7e4988e056be3f82d19181d9c6efe8141120314088f5013875a"
                      + "c656398d8a2ed19d2a85c8edd3ec2aef")),
          "nistp521",
          new Curve(
              521,
              two(521).subtract(BigInteger.ONE),
              hex(
                  "0051953eb9618e1c9a1f929a21a0b68540eea2da725b99b315f3b8b489918ef1"
                      + "09e156193951ec7e937b1652c0bd3bb1bf073573df883d2c34f1ef451fd46b50"
                      + "3f00")));

  static Curve named(String name) {
    return CURVES.get(name);
  }

  /**
   * Checks a point in the uncompressed form (SEC 1 section 2.3.3), the only one RFC 5656 section
   * 3.1 leaves in use.
   *
   * @return the curve's size in bits
   */
  int check(byte[] point) throws RefusedException {
    int width = (bits + 7) / 8;
    if (point.length > 0 && (point[0] == 2 || point[0] == 3)) {
      throw new RefusedException(
          Reason.OTHER_SPELLING,
          "The ECDSA point is compressed; SSH keys carry it uncompressed.",
          "Export the key again with OpenSSH.",
          -1);
    }
    if (point.length != 1 + 2 * width || point[0] != 4) {
      throw new RefusedException(
          Reason.CUT_SHORT,
          "The ECDSA point has " + point.length + " bytes instead of " + (1 + 2 * width) + ".",
          "Copy the whole line again.",
          -1);
    }
    BigInteger x = new BigInteger(1, point, 1, width);
    BigInteger y = new BigInteger(1, point, 1 + width, width);
    boolean inField = x.compareTo(p) < 0 && y.compareTo(p) < 0;
    BigInteger right = x.multiply(x).subtract(THREE).multiply(x).add(b).mod(p);
    if (!inField || !y.multiply(y).mod(p).equals(right)) {
      throw new RefusedException(
          Reason.NOT_ON_CURVE,
          "The point does not lie on the curve, so this is not a key.",
          "Copy the line again; if it stays so, the key was damaged where it was made.",
          -1);
    }
    return bits;
  }

  private static BigInteger two(int power) {
    return BigInteger.ONE.shiftLeft(power);
  }

  private static BigInteger hex(String digits) {
    return new BigInteger(digits, 16);
  }
}
