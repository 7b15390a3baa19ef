package tolvin.core.form;

import java.math.BigInteger;
import java.util.Arrays;
import tolvin.core.key.Refusal.Reason;
import tolvin.core.key.RefusedException;
import tolvin.core.key.WireOut;

/**
 * A cursor over DER (ITU-T X.690 section 10): definite lengths, each in its shortest spelling and
 * checked against what is really there before it is used.
 */
final class Der {
  static final int INTEGER = 0x02;
  static final int BIT_STRING = 0x03;
  static final int NULL = 0x05;
  static final int OBJECT_IDENTIFIER = 0x06;
  static final int SEQUENCE = 0x30;

  private final byte[] data;
  private final int end;
  private int at;

  Der(byte[] data) {
    this(data, 0, data.length);
  }

  private Der(byte[] data, int from, int to) {
    this.data = data;
    this.at = from;
    this.end = to;
  }

  /** The next element's tag, or -1 at the end. */
  int tag() {
    return at < end ? data[at] & 0xff : -1;
  }

  /** The content of the next element, which must have this tag. */
  Der enter(int tag, String what) throws RefusedException {
    if (tag() != tag) {
      throw refused(Reason.OTHER_FORM, "Where the " + what + " should stand is something else.");
    }
    int from = at + 1;
    if (from >= end) {
      throw refused(Reason.CUT_SHORT, "The data ends in the middle of its " + what + ".");
    }
    long length = data[from++] & 0xff;
    if (length >= 0x80) {
      int count = (int) length & 0x7f;
      if (count == 0 || count > 4) {
        throw refused(
            count == 0 ? Reason.OTHER_SPELLING : Reason.CUT_SHORT,
            "The length of the " + what + " is indefinite or beyond all measure.");
      }
      length = 0;
      for (int i = 0; i < count; i++) {
        length = length << 8 | (from < end ? data[from++] & 0xff : 0xff);
      }
      if (length < 0x80 || count > 1 && length < 1L << 8 * (count - 1)) {
        throw refused(
            Reason.OTHER_SPELLING, "The length of the " + what + " is not in its shortest form.");
      }
    }
    if (length > end - from) {
      throw refused(Reason.CUT_SHORT, "The data ends in the middle of its " + what + ".");
    }
    at = from + (int) length;
    return new Der(data, from, at);
  }

  /** Moves over the next element, whatever it is. */
  void skip(String what) throws RefusedException {
    enter(tag(), what);
  }

  /** What is left. */
  byte[] rest() {
    return Arrays.copyOfRange(data, at, end);
  }

  /** The next element as it stands, tag and length included. */
  byte[] element(String what) throws RefusedException {
    int from = at;
    skip(what);
    return Arrays.copyOfRange(data, from, at);
  }

  /** The next INTEGER, which must be positive and in its shortest form. */
  BigInteger positive(String what) throws RefusedException {
    byte[] value = enter(INTEGER, what).rest();
    if (value.length == 0 || value[0] < 0 || value.length == 1 && value[0] == 0) {
      throw refused(Reason.IMPLAUSIBLE_NUMBERS, "The " + what + " is zero or negative.");
    }
    if (value[0] == 0 && value[1] >= 0) {
      throw refused(
          Reason.OTHER_SPELLING, "The " + what + " is written with needless leading zeros.");
    }
    return new BigInteger(value);
  }

  /** The next BIT STRING, whole octets only. */
  byte[] bits(String what) throws RefusedException {
    byte[] value = enter(BIT_STRING, what).rest();
    if (value.length == 0 || value[0] != 0) {
      throw refused(Reason.OTHER_SPELLING, "The " + what + " is no whole number of octets.");
    }
    return Arrays.copyOfRange(value, 1, value.length);
  }

  /** The next OBJECT IDENTIFIER as it is encoded, in hex. */
  String identifier(String what) throws RefusedException {
    return java.util.HexFormat.of().formatHex(enter(OBJECT_IDENTIFIER, what).rest());
  }

  /** Nothing may be left over. */
  void end(String what) throws RefusedException {
    if (at != end) {
      throw refused(Reason.LEFT_OVER, (end - at) + " bytes are left over behind the " + what + ".");
    }
  }

  private static RefusedException refused(Reason reason, String sentence) {
    return new RefusedException(
        reason, sentence, "Export the public key again with a current tool.", -1);
  }

  /** Writes an element. */
  static byte[] write(int tag, byte[]... parts) {
    int length = 0;
    for (byte[] part : parts) {
      length += part.length;
    }
    WireOut out = new WireOut().raw(new byte[] {(byte) tag});
    if (length < 0x80) {
      out.raw(new byte[] {(byte) length});
    } else {
      byte[] digits = BigInteger.valueOf(length).toByteArray();
      digits = digits[0] == 0 ? Arrays.copyOfRange(digits, 1, digits.length) : digits;
      out.raw(new byte[] {(byte) (0x80 | digits.length)}).raw(digits);
    }
    for (byte[] part : parts) {
      out.raw(part);
    }
    return out.toBytes();
  }

  /** Writes an OBJECT IDENTIFIER from its encoded hex. */
  static byte[] identifierOf(String hex) {
    return write(OBJECT_IDENTIFIER, java.util.HexFormat.of().parseHex(hex));
  }

  /** Writes an INTEGER. */
  static byte[] integerOf(BigInteger value) {
    return write(INTEGER, value.toByteArray());
  }

  /** Writes a BIT STRING of whole octets. */
  static byte[] bitsOf(byte[] value) {
    return write(BIT_STRING, new byte[1], value);
  }
}
