package tolvin.core.key;

import java.security.MessageDigest;
import java.security.NoSuchAlgorithmException;
import java.util.Base64;
import java.util.HexFormat;

/**
 * The SHA-256 fingerprint of a public key, by which a key is recognised everywhere: {@code SHA256:}
 * and 43 characters of base64 without padding over the digest of the wire blob.
 *
 * @param value the whole text with its prefix
 */
public record Fingerprint(String value) implements Comparable<Fingerprint> {
  private static final String PREFIX = "SHA256:";
  private static final int DIGITS = 43;
  private static final ThreadLocal<MessageDigest> SHA256 =
      ThreadLocal.withInitial(() -> digest("SHA-256"));

  /**
   * @throws IllegalArgumentException if the text is not a SHA-256 fingerprint
   */
  public Fingerprint {
    if (!isOne(value)) {
      throw new IllegalArgumentException(
          "not a SHA-256 fingerprint (SHA256: and 43 characters of base64)");
    }
  }

  /** Whether a text has the form of a SHA-256 fingerprint. */
  public static boolean isOne(String text) {
    if (text.length() != PREFIX.length() + DIGITS || !text.startsWith(PREFIX)) {
      return false;
    }
    for (int i = PREFIX.length(); i < text.length(); i++) {
      char c = text.charAt(i);
      if (!(c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z' || c >= '/' && c <= '9' || c == '+')) {
        return false;
      }
    }
    return true;
  }

  /** Computes the fingerprint of a wire blob. */
  public static Fingerprint of(byte[] blob) {
    return new Fingerprint(text(blob));
  }

  /** The SHA-256 digest of some bytes. */
  public static byte[] sha256(byte[] bytes) {
    return SHA256.get().digest(bytes);
  }

  /** The fingerprint's text, without the cost of checking what was just made. */
  static String text(byte[] blob) {
    return PREFIX + Base64.getEncoder().withoutPadding().encodeToString(sha256(blob));
  }

  /**
   * The MD5 notation of the same blob: {@code MD5:} and sixteen pairs of hex digits with colons.
   */
  public static String md5(byte[] blob) {
    return "MD5:" + HexFormat.ofDelimiter(":").formatHex(digest("MD5").digest(blob));
  }

  /**
   * The SHA-1 notation of the same blob, which old revocation lists use: {@code SHA1:} and base64.
   */
  public static String sha1(byte[] blob) {
    return "SHA1:"
        + Base64.getEncoder().withoutPadding().encodeToString(digest("SHA-1").digest(blob));
  }

  /** The first characters behind the prefix, for lists where the whole does not fit. */
  public String brief() {
    return value.substring(0, PREFIX.length() + 12) + "…";
  }

  @Override
  public int compareTo(Fingerprint other) {
    return value.compareTo(other.value);
  }

  @Override
  public String toString() {
    return value;
  }

  private static MessageDigest digest(String name) {
    try {
      return MessageDigest.getInstance(name);
    } catch (NoSuchAlgorithmException impossible) {
      throw new IllegalStateException("every Java platform has " + name, impossible);
    }
  }
}
