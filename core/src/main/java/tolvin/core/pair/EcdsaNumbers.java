package tolvin.core.pair;

import java.math.BigInteger;
import java.util.Arrays;
import tolvin.core.key.Refusal;
import tolvin.core.key.RefusedException;
import tolvin.core.key.Wire;
import tolvin.core.key.WireOut;

/**
 * ECDSA's two numbers in SSH's notation (RFC 5656 section 3.1.2: two mpints) and side by side at
 * full width (IEEE P1363), as the Java platform takes them.
 */
public final class EcdsaNumbers {
  private EcdsaNumbers() {}

  /** From side by side to SSH's. */
  public static byte[] toWire(byte[] sideBySide) {
    int width = sideBySide.length / 2;
    return new WireOut()
        .integer(new BigInteger(1, Arrays.copyOf(sideBySide, width)))
        .integer(new BigInteger(1, Arrays.copyOfRange(sideBySide, width, 2 * width)))
        .toBytes();
  }

  /**
   * From SSH's to side by side.
   *
   * @param width the bytes of each number
   * @throws RefusedException if these are not two positive numbers of that width
   */
  public static byte[] fromWire(byte[] wire, int width) throws RefusedException {
    Wire numbers = new Wire(wire);
    byte[] sideBySide = new byte[2 * width];
    for (int i = 0; i < 2; i++) {
      byte[] number = numbers.positive("signature").toByteArray();
      int from = number[0] == 0 ? 1 : 0;
      int length = number.length - from;
      if (length > width) {
        throw new RefusedException(
            Refusal.Reason.BAD_SIGNATURE,
            "A number of the signature is too large for its curve.",
            "Sign again.",
            -1);
      }
      System.arraycopy(number, from, sideBySide, (i + 1) * width - length, length);
    }
    numbers.end();
    return sideBySide;
  }
}
