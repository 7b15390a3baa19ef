package tolvin.core.authorized;

import java.io.ByteArrayOutputStream;
import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.Optional;
import tolvin.core.key.Fingerprint;
import tolvin.core.key.PlainText;
import tolvin.core.key.PublicKey;

/**
 * The content of an {@code authorized_keys} file (sshd(8), AUTHORIZED_KEYS FILE FORMAT), kept as
 * the exact bytes that it was read as. Edits add a line at the end or take one out; every other
 * line, comment, option, blank and line ending stays as it is, byte for byte. The one byte that may
 * be added besides is the line end which a last line lacks.
 */
public final class AuthorizedKeys {
  private final List<Line> lines;

  private AuthorizedKeys(List<Line> lines) {
    this.lines = List.copyOf(lines);
  }

  /**
   * One line.
   *
   * @param content its bytes without the line end
   * @param ending its line end: empty, LF or CRLF
   * @param admission what the server does with it
   */
  public record Line(byte[] content, byte[] ending, Admission admission) {
    private static Line of(byte[] content, byte[] ending) {
      return new Line(
          content, ending, Admission.of(new String(content, StandardCharsets.ISO_8859_1)));
    }

    /** The content as text, one character per byte, so that it can be compared and kept exactly. */
    public String text() {
      return new String(content, StandardCharsets.ISO_8859_1);
    }

    /** The key on it, if it is a line that the server can read a key from. */
    public Optional<PublicKey> key() {
      return admission.key();
    }

    /** The options before the key; empty if there are none. */
    public String options() {
      return decoded(admission.options());
    }

    /** The comment behind the key, as it can be shown. */
    public String comment() {
      return PlainText.shown(decoded(admission.comment()).strip());
    }

    private static String decoded(String bytes) {
      return new String(bytes.getBytes(StandardCharsets.ISO_8859_1), StandardCharsets.UTF_8);
    }
  }

  /** Takes a file's bytes apart. Total: any bytes are a file, if not a useful one. */
  public static AuthorizedKeys of(byte[] file) {
    List<Line> lines = new ArrayList<>();
    int from = 0;
    while (from < file.length) {
      int feed = from;
      while (feed < file.length && file[feed] != '\n') {
        feed++;
      }
      int end = feed < file.length ? feed + 1 : feed;
      int contentEnd =
          feed < file.length && feed > from && file[feed - 1] == '\r' ? feed - 1 : feed;
      lines.add(
          Line.of(
              Arrays.copyOfRange(file, from, contentEnd),
              Arrays.copyOfRange(file, contentEnd, end)));
      from = end;
    }
    return new AuthorizedKeys(lines);
  }

  /** The lines in order. */
  public List<Line> lines() {
    return lines;
  }

  /** The lines that carry this key. */
  public List<Line> linesOf(Fingerprint key) {
    return lines.stream()
        .filter(line -> line.key().filter(k -> k.fingerprint().equals(key)).isPresent())
        .toList();
  }

  /** The file with one more line at its end, in the line ending that the file uses. */
  public AuthorizedKeys with(String line) {
    byte[] ending = ending();
    List<Line> result = new ArrayList<>(lines);
    if (!result.isEmpty() && result.get(result.size() - 1).ending().length == 0) {
      Line last = result.remove(result.size() - 1);
      result.add(new Line(last.content(), ending, last.admission()));
    }
    result.add(Line.of(line.getBytes(StandardCharsets.ISO_8859_1), ending));
    return new AuthorizedKeys(result);
  }

  /** The file without the lines whose content is exactly this one. */
  public AuthorizedKeys without(String line) {
    return new AuthorizedKeys(
        lines.stream().filter(candidate -> !candidate.text().equals(line)).toList());
  }

  /** The file with the first only of the lines whose content is exactly this one. */
  public AuthorizedKeys once(String line) {
    List<Line> result = new ArrayList<>();
    boolean seen = false;
    for (Line candidate : lines) {
      boolean same = candidate.text().equals(line);
      if (!same || !seen) {
        result.add(candidate);
      }
      seen |= same;
    }
    return new AuthorizedKeys(result);
  }

  /** Whether a line with exactly this content is there. */
  public boolean has(String line) {
    return lines.stream().anyMatch(candidate -> candidate.text().equals(line));
  }

  /** The whole file. */
  public byte[] toBytes() {
    ByteArrayOutputStream out = new ByteArrayOutputStream();
    for (Line line : lines) {
      out.writeBytes(line.content());
      out.writeBytes(line.ending());
    }
    return out.toByteArray();
  }

  private byte[] ending() {
    for (Line line : lines) {
      if (line.ending().length > 0) {
        return line.ending();
      }
    }
    return new byte[] {'\n'};
  }
}
