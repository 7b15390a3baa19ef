package tolvin.core.intake;

import java.io.ByteArrayOutputStream;
import java.nio.charset.StandardCharsets;
import java.util.List;
import java.util.Optional;
import java.util.Set;
import tolvin.core.key.OneLine;

/**
 * A key line that goes on behind a mark at the end of its rows: a backslash, as shells and
 * configuration files write it, or the soft line break of quoted-printable text (RFC 2045 section
 * 6.7), whose other characters are decoded as well.
 *
 * @param read the key
 * @param lines how many of the following lines belong to it
 * @param correction what was put right
 */
record Continued(LineReader.Read read, int lines, Correction correction) {
  private static final char BACKSLASH = '\\';
  private static final char SOFT_BREAK = '=';

  /** Whether a row may go on, or is quoted-printable by itself. */
  static boolean isPossible(String row) {
    return isContinued(row, BACKSLASH)
        || isContinued(row, SOFT_BREAK)
        || row.contains("=3D")
        || row.contains("=2B");
  }

  private static boolean isContinued(String row, char mark) {
    return !row.isEmpty() && row.charAt(row.length() - 1) == mark;
  }

  /** Joins a row with those behind it. */
  static Optional<Continued> of(String row, List<String> following) {
    return joined(row, following, BACKSLASH).or(() -> joined(row, following, SOFT_BREAK));
  }

  private static Optional<Continued> joined(String first, List<String> following, char mark) {
    StringBuilder text = new StringBuilder();
    String row = first;
    int lines = 0;
    while (isContinued(row, mark)) {
      text.append(row, 0, row.length() - 1);
      if (lines == following.size() || text.length() > OneLine.MAX_TEXT) {
        return Optional.empty();
      }
      row = following.get(lines++);
    }
    text.append(row);
    if (mark == BACKSLASH) {
      return lines == 0 ? Optional.empty() : found(text.toString(), lines, Correction.CONTINUED);
    }
    return found(decoded(text.toString()), lines, Correction.QUOTED_PRINTABLE);
  }

  private static Optional<Continued> found(String text, int lines, Correction correction) {
    LineReader.Read read = LineReader.read(text.strip());
    return read.isFound() ? Optional.of(new Continued(read, lines, correction)) : Optional.empty();
  }

  /** Two hexadecimal digits behind an equals sign are one byte. */
  private static String decoded(String text) {
    byte[] bytes = text.getBytes(StandardCharsets.UTF_8);
    ByteArrayOutputStream out = new ByteArrayOutputStream();
    for (int at = 0; at < bytes.length; at++) {
      int value =
          bytes[at] == '=' && at + 2 < bytes.length ? hex(bytes[at + 1], bytes[at + 2]) : -1;
      out.write(value < 0 ? bytes[at] : value);
      at += value < 0 ? 0 : 2;
    }
    return out.toString(StandardCharsets.UTF_8);
  }

  private static int hex(byte high, byte low) {
    int first = Character.digit(high, 16);
    int second = Character.digit(low, 16);
    return first < 0 || second < 0 ? -1 : first * 16 + second;
  }

  /** All that was put right. */
  Set<Correction> corrections() {
    return Set.of(correction);
  }
}
