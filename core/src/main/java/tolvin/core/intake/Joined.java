package tolvin.core.intake;

import java.util.EnumSet;
import java.util.List;
import java.util.Optional;
import java.util.Set;
import tolvin.core.key.KeyType;
import tolvin.core.key.OneLine;

/**
 * A key put together again from a body that was broken. What a wire blob holds is told by its own
 * lengths, so that at most one number of pieces gives a key; where blanks may also have been plus
 * signs, both readings are tried, and if both gave a key, neither is taken.
 *
 * @param read the key
 * @param lines how many of the following lines belong to it
 * @param corrections what was put right
 */
record Joined(LineReader.Read read, int lines, Set<Correction> corrections) {
  /** A body in more pieces than this was not broken by a program that wraps lines. */
  private static final int MOST_PIECES = 600;

  /** Tries to join a line's pieces with each other and with those of the lines behind it. */
  static Optional<Joined> of(String line, List<String> following) {
    int body = bodyStart(line);
    if (body < 0) {
      return Optional.empty();
    }
    Optional<Joined> without = join(line, body, following);
    Optional<Joined> plus = plus(line, body);
    if (without.isPresent() && plus.isPresent()) {
      return Optional.empty();
    }
    return without.or(() -> plus);
  }

  /**
   * Where the body starts: behind the last type word that stands before it; -1 if there is none.
   */
  private static int bodyStart(String line) {
    for (KeyType type : KeyType.values()) {
      int at = line.indexOf(type.word());
      boolean starts = at == 0 || at > 0 && Character.isWhitespace(line.charAt(at - 1));
      int end = at + type.word().length();
      if (starts && (end == line.length() || Character.isWhitespace(line.charAt(end)))) {
        return end;
      }
    }
    return line.startsWith("AAAA") || line.startsWith("M") ? 0 : -1;
  }

  /** Every blank up to the body's end, which its beginning tells, was a plus sign. */
  private static Optional<Joined> plus(String line, int body) {
    String text = line.substring(body).strip();
    String joined = text.replace(' ', '+');
    int whole = (BodyLength.of(joined).whole() + 3) / 4 * 4;
    boolean ends =
        whole > 0
            && whole <= text.length()
            && (whole == text.length() || text.charAt(whole) == ' ');
    if (!ends || text.lastIndexOf(' ', whole - 1) < 0) {
      return Optional.empty();
    }
    String head = line.substring(0, body).strip();
    String candidate =
        head + ' ' + joined.substring(0, whole) + ' ' + text.substring(whole).strip();
    LineReader.Read read = LineReader.read(candidate.strip());
    return read.outcome() instanceof Outcome.Key
        ? Optional.of(new Joined(read, 0, EnumSet.of(Correction.PLUS_LOST)))
        : Optional.empty();
  }

  private static Optional<Joined> join(String line, int body, List<String> following) {
    String head = line.substring(0, body).strip();
    StringBuilder joined = new StringBuilder();
    int pieces = 0;
    for (int row = 0; row <= following.size(); row++) {
      String text = row == 0 ? line.substring(body).strip() : following.get(row - 1).strip();
      int at = 0;
      while (at < text.length()) {
        String word = LineReader.firstWord(text.substring(at));
        if (!LineReader.isBody(word) || joined.length() > OneLine.MAX_TEXT) {
          return Optional.empty();
        }
        joined.append(word);
        pieces++;
        at += word.length();
        while (at < text.length() && Character.isWhitespace(text.charAt(at))) {
          at++;
        }
        if (pieces == 1 && row == 0 && at == text.length() && following.isEmpty()) {
          return Optional.empty();
        }
        BodyLength length = BodyLength.of(joined);
        if (pieces > MOST_PIECES || length.isExceeded()) {
          return Optional.empty();
        }
        if (length.isReached()) {
          String candidate = (head + ' ' + joined + ' ' + text.substring(at)).strip();
          LineReader.Read read = LineReader.read(candidate);
          if (read.outcome() instanceof Outcome.Key) {
            return Optional.of(withComment(head, text.substring(at), read, following, row, joined));
          }
        }
      }
    }
    return Optional.empty();
  }

  /**
   * What is left of a comment that runs across the last wrap: the row with its beginning is as long
   * as those before it, and the next one is a short text that is no key.
   */
  private static Joined withComment(
      String head,
      String comment,
      LineReader.Read read,
      List<String> following,
      int row,
      CharSequence body) {
    Set<Correction> corrections = corrections(row);
    int width = row > 1 ? following.get(row - 1).length() : -1;
    boolean isFull = row > 1 && following.get(row - 2).length() == width;
    if (!isFull || comment.isBlank() || row >= following.size()) {
      return new Joined(read, row, corrections);
    }
    String rest = following.get(row);
    if (rest.isBlank()
        || rest.length() >= width
        || rest.startsWith("#")
        || LineReader.firstWord(rest).length() < rest.length()
        || !LineReader.read(rest).isStray()) {
      return new Joined(read, row, corrections);
    }
    corrections.add(Correction.COMMENT_JOINED);
    String whole = head + ' ' + body + ' ' + comment.stripLeading() + rest;
    return new Joined(LineReader.read(whole.strip()), row + 1, corrections);
  }

  private static Set<Correction> corrections(int row) {
    return row > 0 ? EnumSet.of(Correction.WRAPPED) : EnumSet.of(Correction.BLANK_INSIDE);
  }
}
