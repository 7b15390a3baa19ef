package tolvin.core.intake;

import java.nio.ByteBuffer;
import java.nio.charset.StandardCharsets;
import java.util.Base64;
import java.util.Optional;
import tolvin.core.key.KeyType;
import tolvin.core.key.OneLine;

/**
 * How long a body in base64 says that it is, by its beginning: a blob of the wire format (RFC 4253
 * section 6.6) by the lengths of its fields, DER by its first length.
 *
 * @param digits how many digits it has so far, padding aside
 * @param whole how many it will have; 0 if that cannot be told yet, -1 if it is no key's
 */
record BodyLength(int digits, int whole) {
  /** So many digits hold all lengths of every type. */
  private static final int HEAD = 200;

  private static final int LONGEST_WORD = 64;
  private static final byte SEQUENCE = 0x30;

  static BodyLength of(CharSequence body) {
    int digits = body.length();
    while (digits > 0 && body.charAt(digits - 1) == '=') {
      digits--;
    }
    String head = body.subSequence(0, Math.min(digits, HEAD) / 4 * 4).toString();
    try {
      byte[] bytes = Base64.getDecoder().decode(head.replace('-', '+').replace('_', '/'));
      int length = bytes.length > 0 && bytes[0] == SEQUENCE ? der(bytes) : blob(bytes);
      return new BodyLength(digits, length > 0 ? (length * 8 + 5) / 6 : length);
    } catch (IllegalArgumentException noBase64) {
      return new BodyLength(digits, -1);
    }
  }

  /** Whether all of it is there. */
  boolean isReached() {
    return whole > 0 && digits == whole;
  }

  /** Whether it is no key, however much is added. */
  boolean isExceeded() {
    return whole < 0 || whole > 0 && digits > whole;
  }

  private static int der(byte[] bytes) {
    if (bytes.length < 4) {
      return 0;
    }
    int first = bytes[1] & 0xff;
    return switch (first) {
      case 0x81 -> 3 + (bytes[2] & 0xff);
      case 0x82 -> 4 + ((bytes[2] & 0xff) << 8 | bytes[3] & 0xff);
      default -> first < 0x80 ? 2 + first : -1;
    };
  }

  private static int blob(byte[] bytes) {
    if (bytes.length < 4) {
      return 0;
    }
    int length = ByteBuffer.wrap(bytes).getInt();
    if (length < 0 || length > LONGEST_WORD) {
      return -1;
    }
    if (bytes.length < 4 + length) {
      return 0;
    }
    Optional<KeyType> type =
        KeyType.ofWord(new String(bytes, 4, length, StandardCharsets.ISO_8859_1));
    return type.isEmpty() ? -1 : fields(bytes, 4 + length, type.get());
  }

  private static int fields(byte[] bytes, int from, KeyType type) {
    int fields = type == KeyType.RSA || !type.curve().isEmpty() ? 2 : 1;
    int at = from;
    for (int i = type.hardware() ? -1 : 0; i < fields; i++) {
      if (at + 4 > bytes.length) {
        return 0;
      }
      int length = ByteBuffer.wrap(bytes, at, 4).getInt();
      if (length < 0 || length > OneLine.MAX_TEXT) {
        return -1;
      }
      at += 4 + length;
    }
    return at;
  }
}
