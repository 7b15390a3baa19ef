package tolvin.core.form;

import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.regex.Pattern;
import tolvin.core.key.Base64Text;
import tolvin.core.key.PlainText;
import tolvin.core.key.PublicBlob;
import tolvin.core.key.PublicKey;
import tolvin.core.key.Refusal.Reason;
import tolvin.core.key.RefusedException;

/**
 * The SSH public key file format of RFC 4716 section 3: markers, headers that may go on over
 * several lines with a backslash, a comment that may stand in quotes, the body in base64.
 *
 * @param key the key
 * @param comment the Comment header without its quotes; empty if there is none
 * @param subject the Subject header; empty if there is none
 */
public record ExchangeFile(PublicKey key, String comment, String subject) {
  /** The first line of such a file. */
  public static final String BEGIN = "---- BEGIN SSH2 PUBLIC KEY ----";

  /** The last line of such a file. */
  public static final String END = "---- END SSH2 PUBLIC KEY ----";

  private static final int LINE = 72;
  private static final int MAX_TAG = 64;
  private static final int MAX_VALUE = 1024;

  /**
   * Reads what stands between the two marker lines.
   *
   * @param lines the lines without their ends
   * @throws RefusedException if headers or body are not as the RFC says
   */
  public static ExchangeFile read(List<String> lines) throws RefusedException {
    Map<String, String> headers = new LinkedHashMap<>();
    int at = 0;
    while (at < lines.size() && lines.get(at).indexOf(':') >= 0) {
      StringBuilder header = new StringBuilder(lines.get(at++));
      while (header.length() > 0 && header.charAt(header.length() - 1) == '\\') {
        header.setLength(header.length() - 1);
        if (at == lines.size()) {
          throw refused(Reason.CUT_SHORT, "The last header says that it goes on, but it does not.");
        }
        header.append(lines.get(at++));
        if (header.length() > MAX_TAG + MAX_VALUE) {
          break;
        }
      }
      int colon = header.indexOf(":");
      String tag = header.substring(0, colon).strip();
      String value = header.substring(colon + 1).strip();
      if (tag.isEmpty() || tag.length() > MAX_TAG || bytes(value) > MAX_VALUE) {
        throw refused(
            Reason.TOO_LARGE,
            "A header is longer than 64 bytes of name and 1024 of value (RFC 4716, section 3.3).");
      }
      headers.putIfAbsent(tag.toLowerCase(Locale.ROOT), unquoted(value));
    }
    StringBuilder body = new StringBuilder();
    while (at < lines.size()) {
      body.append(lines.get(at++).strip());
    }
    if (body.length() == 0) {
      throw refused(Reason.CUT_SHORT, "There is no key between the headers and the end.");
    }
    PublicKey key = PublicBlob.read(Base64Text.decode(body.toString()));
    return new ExchangeFile(
        key,
        PlainText.shown(headers.getOrDefault("comment", "")),
        PlainText.shown(headers.getOrDefault("subject", "")));
  }

  /** Where a header begins on a line with others. */
  private static final Pattern HEADER = Pattern.compile("\\s+(?=[A-Za-z][A-Za-z0-9-]{0,63}: )");

  /** The lines of what stood between the two markers, when they were put on one. */
  public static List<String> lines(String flat) {
    int body = bodyOf(flat);
    if (body < 0) {
      return List.of(flat.strip());
    }
    List<String> lines = new ArrayList<>();
    String headers = flat.substring(0, body).strip();
    if (!headers.isEmpty()) {
      lines.addAll(List.of(HEADER.split(headers)));
    }
    lines.addAll(List.of(flat.substring(body).strip().split("\\s+")));
    return lines;
  }

  /** Where a body begins that stands on a line with its headers; -1 if there is none. */
  private static int bodyOf(String flat) {
    int from = flat.length();
    while (from > 0
        && (Base64Text.isDigit(flat.charAt(from - 1))
            || Character.isWhitespace(flat.charAt(from - 1)))) {
      from--;
    }
    for (int at = flat.indexOf("AAAA", from); at >= 0; at = flat.indexOf("AAAA", at + 1)) {
      if (at == 0 || Character.isWhitespace(flat.charAt(at - 1))) {
        return at;
      }
    }
    return -1;
  }

  /** Writes a key with a comment in quotes; lines of at most 72 bytes (RFC 4716 section 3.1). */
  public static String write(PublicKey key, String comment) {
    StringBuilder out = new StringBuilder(BEGIN).append('\n');
    if (!comment.isEmpty()) {
      StringBuilder line = new StringBuilder();
      String header = "Comment: \"" + comment + '"';
      for (int i = 0; i < header.length(); ) {
        int point = header.codePointAt(i);
        String next = Character.toString(point);
        if (bytes(line.toString()) + bytes(next) > LINE - 1) {
          out.append(line).append("\\\n");
          line.setLength(0);
        }
        line.append(next);
        i += next.length();
      }
      out.append(line).append('\n');
    }
    return out.append(Pem.wrap(key.blob(), LINE - 2)).append(END).append('\n').toString();
  }

  /** The value of a header without the quotes around it. */
  public static String unquoted(String value) {
    return value.length() >= 2 && value.startsWith("\"") && value.endsWith("\"")
        ? value.substring(1, value.length() - 1)
        : value;
  }

  private static int bytes(String text) {
    return text.getBytes(StandardCharsets.UTF_8).length;
  }

  private static RefusedException refused(Reason reason, String sentence) {
    return new RefusedException(
        reason, sentence, "Ask for the file itself, or for the key as one line.", -1);
  }
}
