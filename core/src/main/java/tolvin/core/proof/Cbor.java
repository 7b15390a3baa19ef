package tolvin.core.proof;

import java.util.Arrays;
import java.util.HashMap;
import java.util.Map;
import tolvin.core.key.Refusal.Reason;
import tolvin.core.key.RefusedException;

/**
 * A cursor over the little of CBOR (RFC 8949 section 3) that a security key writes: whole numbers,
 * byte strings, and maps of those with lengths that are checked before they are used.
 */
final class Cbor {
  private static final int BYTES = 2;
  private static final int TEXT = 3;
  private static final int MAP = 5;
  private static final int MOST_ENTRIES = 16;

  private final byte[] data;
  private int at;

  Cbor(byte[] data, int at) {
    this.data = data;
    this.at = at;
  }

  /** The next byte string. */
  byte[] bytes() throws RefusedException {
    return string(BYTES);
  }

  /** Whether nothing is left. */
  boolean atEnd() {
    return at == data.length;
  }

  /**
   * The next map with whole numbers as its names; values are {@code Long} or {@code byte[]}.
   *
   * @throws RefusedException if it holds anything else
   */
  Map<Long, Object> map() throws RefusedException {
    long entries = head(MAP);
    if (entries > MOST_ENTRIES) {
      throw damaged();
    }
    Map<Long, Object> map = new HashMap<>();
    for (long i = 0; i < entries; i++) {
      Object name = value();
      if (!(name instanceof Long number) || map.put(number, value()) != null) {
        throw damaged();
      }
    }
    return map;
  }

  private Object value() throws RefusedException {
    if (at >= data.length) {
      throw damaged();
    }
    return switch ((data[at] & 0xff) >> 5) {
      case 0 -> head(0);
      case 1 -> -1 - head(1);
      case BYTES -> string(BYTES);
      case TEXT -> string(TEXT);
      default -> throw damaged();
    };
  }

  private byte[] string(int major) throws RefusedException {
    long length = head(major);
    if (length > data.length - at) {
      throw damaged();
    }
    at += (int) length;
    return Arrays.copyOfRange(data, at - (int) length, at);
  }

  /** The number in the head of the next item, which must be of this major type. */
  private long head(int major) throws RefusedException {
    if (at >= data.length || (data[at] & 0xff) >> 5 != major) {
      throw damaged();
    }
    int more = data[at++] & 0x1f;
    if (more < 24) {
      return more;
    }
    int width = more == 24 ? 1 : more == 25 ? 2 : more == 26 ? 4 : 0;
    if (width == 0 || data.length - at < width) {
      throw damaged();
    }
    long number = 0;
    for (int i = 0; i < width; i++) {
      number = number << 8 | data[at++] & 0xff;
    }
    return number;
  }

  private static RefusedException damaged() {
    return new RefusedException(
        Reason.BAD_ATTESTATION,
        "The authenticator data inside the attestation cannot be read.",
        "Make the key again and keep the attestation file as it was written.",
        -1);
  }
}
