package tolvin.core.form;

import java.nio.charset.StandardCharsets;
import java.util.Base64;

/** Writes PEM (RFC 7468 section 3): 64 characters a line between two lines of armour. */
public final class Pem {
  private static final int WIDTH = 64;

  private Pem() {}

  /** Wraps DER. */
  public static String write(String label, byte[] der) {
    return "-----BEGIN " + label + "-----\n" + wrap(der, WIDTH) + "-----END " + label + "-----\n";
  }

  /** Base64 in lines of some width, each ended by LF. */
  static String wrap(byte[] bytes, int width) {
    byte[] feed = {'\n'};
    return new String(Base64.getMimeEncoder(width, feed).encode(bytes), StandardCharsets.US_ASCII)
        + '\n';
  }
}
