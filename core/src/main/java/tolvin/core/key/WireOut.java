package tolvin.core.key;

import java.io.ByteArrayOutputStream;
import java.nio.charset.StandardCharsets;
import java.util.Arrays;

/** Writes SSH wire data (RFC 4251 section 5). */
public final class WireOut {
  private final ByteArrayOutputStream out = new ByteArrayOutputStream();

  /** A uint32. */
  public WireOut number(int value) {
    out.write(value >>> 24);
    out.write(value >>> 16);
    out.write(value >>> 8);
    out.write(value);
    return this;
  }

  /** A uint64. */
  public WireOut large(long value) {
    return number((int) (value >>> 32)).number((int) value);
  }

  /** A string of bytes behind its length. */
  public WireOut string(byte[] value) {
    return number(value.length).raw(value);
  }

  /** A string of text in UTF-8. */
  public WireOut string(String value) {
    return string(value.getBytes(StandardCharsets.UTF_8));
  }

  /** An mpint: two's complement, no needless leading bytes. */
  public WireOut integer(java.math.BigInteger value) {
    return string(value.signum() == 0 ? new byte[0] : value.toByteArray());
  }

  /** Bytes without a length. */
  public WireOut raw(byte[] value) {
    out.writeBytes(value);
    return this;
  }

  /**
   * Pads with 1, 2, 3, … to a multiple of the block (OpenSSH PROTOCOL.key). Some readers find the
   * end of the padding by the last octet alone: Paramiko takes a printable one for the end of a
   * comment, and others for the number of octets to remove, 15 at most. What ends otherwise without
   * padding, as an empty comment does, therefore gets whole blocks of it, which every reader takes.
   */
  public WireOut pad(int block) {
    byte[] written = out.toByteArray();
    boolean isClear = written.length > 0 && isPrintable(written[written.length - 1]);
    for (int next = 1; out.size() % block != 0 || !isClear; next++) {
      out.write(next);
      isClear = next < 16 || isPrintable(next);
    }
    Arrays.fill(written, (byte) 0);
    return this;
  }

  private static boolean isPrintable(int octet) {
    return octet >= 0x20 && octet < 0x7f;
  }

  /** What was written. */
  public byte[] toBytes() {
    return out.toByteArray();
  }
}
