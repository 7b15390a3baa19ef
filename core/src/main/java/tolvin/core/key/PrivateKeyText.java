package tolvin.core.key;

import java.io.IOException;
import java.io.InputStream;
import java.nio.ByteBuffer;
import java.nio.charset.StandardCharsets;
import java.util.Arrays;
import java.util.Base64;
import java.util.Optional;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import tolvin.core.key.Refusal.Reason;

/**
 * Recognises private keys, so that they can be refused before anything is kept: armoured text of
 * every kind, the bare bodies that remain when the armour was cut off, JWKs with a private member,
 * and the binary forms.
 *
 * <p>Sources: RFC 7468 sections 10 and 11 (PKCS#8), RFC 8017 appendix A.1.2 (PKCS#1), RFC 5915
 * (SEC1), OpenSSH PROTOCOL.key, RFC 7517 (JWK).
 */
public final class PrivateKeyText {
  private static final Pattern ARMOUR =
      Pattern.compile(
          "BEGIN[ \\t]+(?:[A-Z0-9]+[ \\t]+){0,4}PRIVATE[ \\t]+KEY", Pattern.CASE_INSENSITIVE);
  private static final Pattern PRIVATE_SECTION =
      Pattern.compile("^[ \\t]*Private-(?:Lines|MAC|Hash)[ \\t]*:", Pattern.MULTILINE);

  /** A JWK, and a member of one that is secret (RFC 7518 sections 6.2.2, 6.3.2 and 6.4.1). */
  private static final Pattern JWK = Pattern.compile("\"kty\"\\s*+:");

  private static final Pattern SECRET_MEMBER = Pattern.compile("\"[dk]\"\\s*+:\\s*+\"");

  private static final int SHORTEST_RUN = 16;
  private static final String OPENSSH_BODY = "b3BlbnNzaC1rZXktdjE";
  private static final String OPENSSH_MAGIC = "openssh-key-v1\0";
  private static final int MAX_HEADER = 4096;
  private static final int CHUNK = 1 << 20;
  private static final int OVERLAP = 1 << 16;

  /** {@code -----BEGIN} in base64, at each of the three offsets that its bytes can have. */
  private static final Pattern WRAPPED_ARMOUR =
      Pattern.compile("LS0tLS1CRUdJTi|0tLS0tQkVHSU4g|tLS0tLUJFR0lOI");

  /** What mail, chat and editors put between the pieces of a broken text. */
  private static final Pattern BETWEEN = Pattern.compile("[\\s>|\"'`\\\\,]+");

  private PrivateKeyText() {}

  /** The refusal for text or bytes that carry a private key; empty if they carry none. */
  public static Optional<Refusal> refuse(byte[] bytes) {
    return recognise(bytes).map(PrivateKeyText::refusal);
  }

  /** The refusal for a private key of some kind. */
  public static Refusal refusal(String kind) {
    return new Refusal(
        Reason.PRIVATE_KEY,
        "This is a private key (" + kind + "); nothing of it was kept.",
        "Give the public file, usually the one that ends in .pub. If this private key has"
            + " travelled by mail, chat or form, treat the key as exposed and replace it.",
        -1);
  }

  /**
   * Looks through a stream of any length in bounded memory.
   *
   * @return the kind of private key found first; empty if there is none
   * @throws IOException if the stream cannot be read
   */
  public static Optional<String> scan(InputStream in) throws IOException {
    byte[] window = new byte[OVERLAP + CHUNK];
    int kept = 0;
    while (true) {
      int read = in.readNBytes(window, kept, CHUNK);
      Optional<String> kind = recognise(Arrays.copyOf(window, kept + read));
      if (kind.isPresent() || read < CHUNK) {
        return kind;
      }
      int next = Math.min(OVERLAP, kept + read);
      System.arraycopy(window, kept + read - next, window, 0, next);
      kept = next;
    }
  }

  /** Names the kind of private key found in the bytes; empty if there is none. */
  public static Optional<String> recognise(byte[] bytes) {
    if (startsWith(bytes, OPENSSH_MAGIC)) {
      return Optional.of("OpenSSH, binary");
    }
    if (isWire(bytes)) {
      return Optional.of("Dropbear");
    }
    Optional<String> der = der(bytes);
    if (der.isPresent()) {
      return der;
    }
    String text = text(bytes);
    Matcher armour = ARMOUR.matcher(text);
    if (saysPrivate(text) && armour.find()) {
      return Optional.of(armourKind(armour.group().toUpperCase(java.util.Locale.ROOT)));
    }
    if (text.contains("SSH PRIVATE KEY FILE FORMAT")) {
      return Optional.of("SSH1");
    }
    if (text.contains("Private-") && PRIVATE_SECTION.matcher(text).find()) {
      return Optional.of("a file with a section of private lines");
    }
    if (text.contains(OPENSSH_BODY)) {
      return Optional.of("OpenSSH, without its first line");
    }
    if (JWK.matcher(text).find() && SECRET_MEMBER.matcher(text).find()) {
      return Optional.of("JWK");
    }
    return bareBody(text).or(() -> wrappedArmour(text)).or(() -> broken(text));
  }

  /**
   * The bytes as text: UTF-16 by its mark or by its zero bytes, otherwise one character per byte.
   * JSON escapes of line ends and slashes are undone, since a request body carries them.
   */
  private static String text(byte[] bytes) {
    String text;
    if (bytes.length >= 2 && (bytes[0] & 0xff) == 0xff && (bytes[1] & 0xff) == 0xfe) {
      text = new String(bytes, StandardCharsets.UTF_16LE);
    } else if (bytes.length >= 2 && (bytes[0] & 0xff) == 0xfe && (bytes[1] & 0xff) == 0xff) {
      text = new String(bytes, StandardCharsets.UTF_16BE);
    } else if (bytes.length >= 4 && bytes[1] == 0 && bytes[3] == 0) {
      text = new String(bytes, StandardCharsets.UTF_16LE);
    } else if (bytes.length >= 4 && bytes[0] == 0 && bytes[2] == 0) {
      text = new String(bytes, StandardCharsets.UTF_16BE);
    } else {
      text = new String(bytes, StandardCharsets.ISO_8859_1);
    }
    return text.indexOf('\\') < 0
        ? text
        : text.replace("\\r", "\r")
            .replace("\\n", "\n")
            .replace("\\t", "\t")
            .replace("\\/", "/")
            .replace("\\\"", "\"")
            .replace("\\u002f", "/")
            .replace("\\u002F", "/")
            .replace("\\u002b", "+")
            .replace("\\u002B", "+")
            .replace("\\u002d", "-")
            .replace("\\u002D", "-")
            .replace("\\u0020", " ");
  }

  /**
   * Whether the word is there at all, in whatever case; its V is a rare letter, looked for fast.
   */
  private static boolean saysPrivate(String text) {
    for (char rare : new char[] {'V', 'v'}) {
      for (int at = text.indexOf(rare); at >= 0; at = text.indexOf(rare, at + 1)) {
        if (text.regionMatches(true, at - 3, "PRIVATE", 0, 7)) {
          return true;
        }
      }
    }
    return false;
  }

  private static String armourKind(String armour) {
    if (armour.contains("OPENSSH")) {
      return "OpenSSH";
    }
    if (armour.contains("SSH2")) {
      return "SSH2";
    }
    if (armour.contains("RSA")) {
      return "PKCS#1";
    }
    if (armour.contains("EC ")) {
      return "SEC1";
    }
    if (armour.contains("ENCRYPTED")) {
      return "PKCS#8, encrypted";
    }
    return armour.contains("DSA") ? "DSA" : "PKCS#8";
  }

  /** A whole armoured file that was put into base64 once more, as deployment files do. */
  private static Optional<String> wrappedArmour(String text) {
    if (!text.contains("LS0tLS1CRUdJTi")
        && !text.contains("0tLS0tQkVHSU4g")
        && !text.contains("tLS0tLUJFR0lOI")) {
      return Optional.empty();
    }
    Matcher wrapped = WRAPPED_ARMOUR.matcher(text);
    while (wrapped.find()) {
      int from = Math.max(0, wrapped.start());
      String run = text.substring(from, Math.min(text.length(), from + 96));
      String inside = looselyDecoded(run);
      if (inside.contains("PRIVATE")) {
        return Optional.of("a private file in base64");
      }
    }
    return Optional.empty();
  }

  /** Decodes whatever of a run can be decoded, at each offset; one character per byte. */
  private static String looselyDecoded(String run) {
    StringBuilder decoded = new StringBuilder();
    String digits = run.replaceAll("[^A-Za-z0-9+/]", "");
    for (int skip = 0; skip < 4 && skip < digits.length(); skip++) {
      String part = digits.substring(skip, skip + (digits.length() - skip) / 4 * 4);
      decoded.append(new String(Base64.getDecoder().decode(part), StandardCharsets.ISO_8859_1));
    }
    return decoded.toString();
  }

  /** An armour line or an OpenSSH body that was itself broken, by a wrap or by reply marks. */
  private static Optional<String> broken(String text) {
    if (!text.contains("BEGIN") && !text.contains("b3Bl")) {
      return Optional.empty();
    }
    String joined = BETWEEN.matcher(text).replaceAll("");
    boolean armour = joined.contains("PRIVATEKEY-----") && joined.contains("-----BEGIN");
    return armour || joined.contains(OPENSSH_BODY)
        ? Optional.of("broken over several lines")
        : Optional.empty();
  }

  /** A base64 body without its armour that decodes to one of the DER forms. */
  private static Optional<String> bareBody(String text) {
    int end = 0;
    for (int start = run(text, 0); start >= 0; start = run(text, end)) {
      end = start;
      while (end < text.length() && isInBody(text.charAt(end))) {
        end++;
      }
      if (text.charAt(start) != 'M') {
        continue; // a DER SEQUENCE of this size starts with 0x30, in base64 with M
      }
      int shown = Math.min(end, start + 2 * MAX_HEADER);
      String head = text.substring(start, shown).replaceAll("[\\r\\n]", "");
      head = head.substring(0, Math.min(head.length(), MAX_HEADER) / 4 * 4);
      try {
        Optional<String> kind = derHead(Base64.getDecoder().decode(head));
        if (kind.isPresent()) {
          return kind.map(k -> k + ", without its first line");
        }
      } catch (IllegalArgumentException notBase64) {
        continue;
      }
    }
    return Optional.empty();
  }

  /** Where the next sixteen base64 digits in a row begin; -1 if there are none. */
  private static int run(String text, int from) {
    int digits = 0;
    for (int at = from; at < text.length(); at++) {
      digits = isDigit(text.charAt(at)) ? digits + 1 : 0;
      if (digits == SHORTEST_RUN) {
        return at - SHORTEST_RUN + 1;
      }
    }
    return -1;
  }

  /** Whether it is one of the sixty-four digits of RFC 4648 section 4. */
  private static boolean isDigit(char c) {
    return c >= 'a' && c <= 'z'
        || c >= 'A' && c <= 'Z'
        || c >= '0' && c <= '9'
        || c == '+'
        || c == '/';
  }

  private static boolean isInBody(char c) {
    return isDigit(c) || c == '\r' || c == '\n';
  }

  /**
   * Whether it is a key in the wire format (RFC 4251 section 5) with more fields than its public
   * ones, as Dropbear keeps private keys.
   */
  private static boolean isWire(byte[] bytes) {
    int word = field(bytes, 0);
    if (word < 0 || word > 32) {
      return false;
    }
    String type = new String(bytes, 4, word - 4, StandardCharsets.ISO_8859_1);
    if (type.equals("ssh-ed25519")) {
      return field(bytes, word) == word + 4 + 64;
    }
    boolean isDsa = type.equals("ssh-dss");
    if (!isDsa && !type.equals("ssh-rsa") && !type.startsWith("ecdsa-sha2-nistp")) {
      return false;
    }
    int at = word;
    for (int i = isDsa ? -2 : 0; i < 2 && at >= 0; i++) {
      at = field(bytes, at);
    }
    return at >= 0 && field(bytes, at) > at + 4;
  }

  /** The end of a field that begins at an offset; -1 if there is none. */
  private static int field(byte[] bytes, int at) {
    if (at < 0 || at + 4 > bytes.length) {
      return -1;
    }
    int length = ByteBuffer.wrap(bytes, at, 4).getInt();
    return length < 0 || length > bytes.length - at - 4 ? -1 : at + 4 + length;
  }

  private static Optional<String> der(byte[] bytes) {
    return bytes.length > 32 && bytes[0] == 0x30 ? derHead(bytes) : Optional.empty();
  }

  /**
   * Looks at the first elements of a DER SEQUENCE. Private: version 0 followed by a SEQUENCE
   * (PKCS#8) or by a large INTEGER (PKCS#1), version 1 followed by an OCTET STRING (SEC1), version
   * 3 followed by a SEQUENCE (PKCS#12, RFC 7292 section 4); a SEQUENCE that starts with a PKCS#5 or
   * PKCS#12 algorithm and ends in an OCTET STRING (PKCS#8 encrypted).
   */
  private static Optional<String> derHead(byte[] der) {
    int at = content(der, 0);
    if (at < 0 || at + 3 > der.length) {
      return Optional.empty();
    }
    if (der[at] == 2 && der[at + 1] == 1 && at + 4 < der.length) {
      int version = der[at + 2];
      int next = der[at + 3];
      if (next == 0x30 && (version == 0 || version == 1)) {
        return Optional.of("PKCS#8");
      }
      if (next == 0x30 && version == 3) {
        return Optional.of("PKCS#12");
      }
      if (next == 2 && (version == 0 || version == 1)) {
        return Optional.of("PKCS#1");
      }
      if (next == 4 && version == 1) {
        return Optional.of("SEC1");
      }
    }
    if (der[at] == 0x30) {
      int inner = content(der, at);
      if (inner > 0 && inner + 2 < der.length && der[inner] == 6 && isPasswordBased(der, inner)) {
        return Optional.of("PKCS#8, encrypted");
      }
    }
    return Optional.empty();
  }

  /** Object identifiers below 1.2.840.113549.1.5 (PKCS#5) and 1.2.840.113549.1.12 (PKCS#12). */
  private static boolean isPasswordBased(byte[] der, int at) {
    byte[] pkcs = {0x2a, (byte) 0x86, 0x48, (byte) 0x86, (byte) 0xf7, 0x0d, 0x01};
    if (at + 2 + pkcs.length >= der.length
        || !Arrays.equals(der, at + 2, at + 2 + pkcs.length, pkcs, 0, pkcs.length)) {
      return false;
    }
    int arc = der[at + 2 + pkcs.length];
    return arc == 5 || arc == 12;
  }

  /** The offset of a SEQUENCE's content, or -1. */
  private static int content(byte[] der, int at) {
    if (at + 2 > der.length || der[at] != 0x30) {
      return -1;
    }
    int length = der[at + 1] & 0xff;
    int start = length < 0x80 ? at + 2 : at + 2 + (length & 0x7f);
    return length > 0x84 || start > der.length ? -1 : start;
  }

  private static boolean startsWith(byte[] bytes, String prefix) {
    byte[] wanted = prefix.getBytes(StandardCharsets.ISO_8859_1);
    return bytes.length >= wanted.length
        && Arrays.equals(bytes, 0, wanted.length, wanted, 0, wanted.length);
  }
}
