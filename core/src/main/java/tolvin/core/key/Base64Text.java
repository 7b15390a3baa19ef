package tolvin.core.key;

import java.nio.charset.StandardCharsets;
import java.util.Arrays;
import java.util.Base64;
import tolvin.core.key.Refusal.Reason;

/**
 * Base64 in its one spelling (RFC 4648): with padding and no stray bits in section 4's alphabet,
 * without padding in section 5's.
 */
public final class Base64Text {
  private Base64Text() {}

  /**
   * Decodes section 4's alphabet.
   *
   * @throws RefusedException with the offset of what is wrong
   */
  public static byte[] decode(String text) throws RefusedException {
    byte[] bytes = text.getBytes(StandardCharsets.UTF_8);
    return decode(bytes, 0, bytes.length);
  }

  /**
   * Decodes section 5's alphabet, without padding (RFC 7515 section 2).
   *
   * @param what what it is, for the sentence
   * @throws RefusedException if it is anything else
   */
  public static byte[] decodeUrl(String text, String what) throws RefusedException {
    try {
      byte[] decoded = Base64.getUrlDecoder().decode(text);
      if (encodeUrl(decoded).equals(text)) {
        return decoded;
      }
    } catch (IllegalArgumentException refused) {
      // said below
    }
    throw new RefusedException(
        Reason.OTHER_SPELLING,
        "The member " + what + " is not base64url without padding (RFC 7515, section 2).",
        "Export the key again with a current tool; a key has one spelling only.",
        -1);
  }

  /** Encodes in section 5's alphabet, without padding. */
  public static String encodeUrl(byte[] bytes) {
    return Base64.getUrlEncoder().withoutPadding().encodeToString(bytes);
  }

  static byte[] decode(byte[] text, int from, int to) throws RefusedException {
    byte[] body = Arrays.copyOfRange(text, from, to);
    try {
      byte[] decoded = Base64.getDecoder().decode(body);
      if (body.length % 4 == 0 && (body.length == 0 || lastBitsAreZero(body))) {
        return decoded;
      }
    } catch (IllegalArgumentException refused) {
      int bad = firstBad(body);
      if (bad >= 0) {
        throw new RefusedException(
            Reason.BAD_BASE64,
            "Character "
                + (bad + 1)
                + " of the key's body"
                + shown(body[bad])
                + " does not belong into base64.",
            "Copy the line from the file itself; something was inserted or replaced.",
            from + bad);
      }
    }
    if (body.length % 4 == 0) {
      throw new RefusedException(
          Reason.OTHER_SPELLING,
          "The last characters of the key's body carry stray bits.",
          "Copy the line from the file itself; a key has one spelling only.",
          to - 1);
    }
    throw new RefusedException(
        Reason.CUT_SHORT,
        "The key's body has " + body.length + " characters, which is no multiple of four.",
        "Copy the whole line again; some characters are missing.",
        to);
  }

  private static boolean lastBitsAreZero(byte[] body) {
    if (body[body.length - 1] != '=') {
      return true;
    }
    boolean two = body[body.length - 2] == '=';
    int digit = value(body[body.length - (two ? 3 : 2)]);
    return (digit & (two ? 0x0f : 0x03)) == 0;
  }

  /** The first character out of the alphabet, padding at the end aside; -1 if there is none. */
  private static int firstBad(byte[] body) {
    int end = body.length;
    while (end > 0 && body[end - 1] == '=' && body.length - end < 2) {
      end--;
    }
    for (int i = 0; i < end; i++) {
      if (value(body[i]) < 0) {
        return i;
      }
    }
    return -1;
  }

  private static int value(byte c) {
    if (c >= 'A' && c <= 'Z') {
      return c - 'A';
    }
    if (c >= 'a' && c <= 'z') {
      return c - 'a' + 26;
    }
    if (c >= '0' && c <= '9') {
      return c - '0' + 52;
    }
    return c == '+' ? 62 : c == '/' ? 63 : -1;
  }

  /** Whether a character belongs into section 4's alphabet, padding included. */
  public static boolean isDigit(char c) {
    return c == '=' || c < 0x80 && value((byte) c) >= 0;
  }

  private static String shown(byte c) {
    return c > 0x20 && c < 0x7f ? " (“" + (char) c + "”)" : "";
  }
}
