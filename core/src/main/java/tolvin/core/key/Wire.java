package tolvin.core.key;

import java.math.BigInteger;
import tolvin.core.key.Refusal.Reason;

/**
 * A cursor over SSH wire data (RFC 4251 section 5). Each length is checked against what is really
 * there before it is used, so nothing is ever allocated on a stranger's word.
 */
final class Wire {
  private final byte[] data;
  private int at;

  Wire(byte[] data) {
    this.data = data;
  }

  int at() {
    return at;
  }

  /** The length of the next string; leaves the cursor on its first byte. */
  int length(String what) throws RefusedException {
    if (data.length - at < 4) {
      throw cutShort(what);
    }
    long length =
        (data[at] & 0xffL) << 24
            | (data[at + 1] & 0xffL) << 16
            | (data[at + 2] & 0xffL) << 8
            | data[at + 3] & 0xffL;
    at += 4;
    if (length > data.length - at) {
      throw cutShort(what);
    }
    return (int) length;
  }

  /** The next string's bytes. */
  byte[] string(String what) throws RefusedException {
    int length = length(what);
    byte[] value = java.util.Arrays.copyOfRange(data, at, at + length);
    at += length;
    return value;
  }

  /** Moves over bytes whose length was read. */
  void skip(int length) {
    at += length;
  }

  /** The next mpint, which must be positive and have no needless leading zero (RFC 4251). */
  BigInteger positive(String what) throws RefusedException {
    byte[] value = string(what);
    if (value.length == 0 || value[0] < 0) {
      throw new RefusedException(
          Reason.IMPLAUSIBLE_NUMBERS,
          "The " + what + " is zero or negative.",
          "Ask for the public file again; these numbers are not a key.",
          -1);
    }
    if (value[0] == 0 && (value.length == 1 || value[1] >= 0)) {
      throw new RefusedException(
          Reason.OTHER_SPELLING,
          "The " + what + " is written with needless leading zeros.",
          "Export the key again with a current tool; a key has one spelling only.",
          -1);
    }
    return new BigInteger(value);
  }

  /** Nothing may be left over. */
  void end() throws RefusedException {
    if (at != data.length) {
      throw new RefusedException(
          Reason.LEFT_OVER,
          (data.length - at) + " bytes are left over behind the key.",
          "Copy the key again; something was appended to its body.",
          -1);
    }
  }

  private static RefusedException cutShort(String what) {
    return new RefusedException(
        Reason.CUT_SHORT,
        "The key ends in the middle of its " + what + ".",
        "Copy the whole line again; part of it is missing.",
        -1);
  }
}
