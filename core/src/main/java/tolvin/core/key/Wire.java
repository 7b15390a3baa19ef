package tolvin.core.key;

import java.math.BigInteger;
import java.util.Arrays;
import tolvin.core.key.Refusal.Reason;

/**
 * A cursor over SSH wire data (RFC 4251 section 5). Each length is checked against what is really
 * there before it is used, so nothing is ever allocated on a stranger's word.
 */
public final class Wire {
  private final byte[] data;
  private int at;

  /** A cursor at the first byte. */
  public Wire(byte[] data) {
    this.data = data;
  }

  /** The offset of the next byte. */
  public int at() {
    return at;
  }

  /** The length of the next string; leaves the cursor on its first byte. */
  public int length(String what) throws RefusedException {
    long length = number(what);
    if (length > data.length - at) {
      throw cutShort(what);
    }
    return (int) length;
  }

  private void need(int bytes, String what) throws RefusedException {
    if (data.length - at < bytes) {
      throw cutShort(what);
    }
  }

  private long number(int from) {
    return (data[from] & 0xffL) << 24
        | (data[from + 1] & 0xffL) << 16
        | (data[from + 2] & 0xffL) << 8
        | data[from + 3] & 0xffL;
  }

  /** The next string's bytes. */
  public byte[] string(String what) throws RefusedException {
    int length = length(what);
    byte[] value = Arrays.copyOfRange(data, at, at + length);
    at += length;
    return value;
  }

  /** Whether nothing is left. */
  public boolean atEnd() {
    return at == data.length;
  }

  /** The next byte, unsigned. */
  public int octet(String what) throws RefusedException {
    need(1, what);
    return data[at++] & 0xff;
  }

  /** The next uint32. */
  public long number(String what) throws RefusedException {
    need(4, what);
    at += 4;
    return number(at - 4);
  }

  /** The next uint64; beyond 2^63 it is negative in Java's eyes. */
  public long large(String what) throws RefusedException {
    need(8, what);
    at += 8;
    return number(at - 8) << 32 | number(at - 4);
  }

  /** Moves over bytes whose length was read. */
  public void skip(int length) {
    at += length;
  }

  /** The next mpint, which must be positive and have no needless leading zero (RFC 4251). */
  public BigInteger positive(String what) throws RefusedException {
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
  public void end() throws RefusedException {
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
