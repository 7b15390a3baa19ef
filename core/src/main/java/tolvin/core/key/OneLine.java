package tolvin.core.key;

import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.Optional;
import tolvin.core.key.Refusal.Reason;

/**
 * Reads the one-line form of a public key: type word, base64 body, comment (OpenSSH sshd(8),
 * AUTHORIZED_KEYS FILE FORMAT, without options).
 *
 * <pre>{@code
 * Reading reading = OneLine.read(bytes);
 * if (reading instanceof Reading.Key key) { … key.key().fingerprint() … }
 * }</pre>
 */
public final class OneLine {
  /** The largest text that is looked at as one key, in bytes. */
  public static final int MAX_TEXT = 64 * 1024;

  /** Into more pieces no program that wraps lines breaks a body. */
  private static final int MOST_PIECES = 64;

  private OneLine() {}

  /** Reads what somebody pasted or a file holds, which must be exactly one key. Never throws. */
  public static Reading read(String text) {
    return read(text.getBytes(StandardCharsets.UTF_8));
  }

  /** Reads what somebody pasted or a file holds, which must be exactly one key. Never throws. */
  public static Reading read(byte[] text) {
    Optional<Refusal> secret =
        PrivateKeyText.refuse(text.length > MAX_TEXT ? Arrays.copyOf(text, MAX_TEXT) : text);
    if (secret.isPresent()) {
      return new Reading.Refused(secret.get());
    }
    List<int[]> lines = keyLines(text);
    if (lines.isEmpty()) {
      return refused(
          Reason.EMPTY, "There is no key in this text.", "Paste the whole line of a .pub file.", 0);
    }
    int[] first = lines.get(0);
    Optional<Reading> otherForm = otherForm(text, first);
    if (otherForm.isPresent()) {
      return otherForm.get();
    }
    if (lines.size() > 1) {
      return severalLines(text, lines);
    }
    return readLine(text, first[0], first[1]);
  }

  /**
   * Reads one line out of a larger text, without its line end.
   *
   * @param from offset of its first byte
   * @param to offset behind its last byte
   */
  public static Reading readLine(byte[] text, int from, int to) {
    try {
      return parse(text, from, to);
    } catch (RefusedException refused) {
      return new Reading.Refused(refused.refusal());
    }
  }

  private static Reading parse(byte[] text, int from, int to) throws RefusedException {
    int typeFrom = skipBlanks(text, from, to);
    int typeTo = skipWord(text, typeFrom, to);
    KeyType type = KeyType.ofBytes(text, typeFrom, typeTo);
    if (type == null) {
      throw notAType(text, typeFrom, typeTo, to);
    }
    int bodyFrom = skipBlanks(text, typeTo, to);
    int bodyTo = skipWord(text, bodyFrom, to);
    if (bodyFrom == bodyTo) {
      throw new RefusedException(
          Reason.CUT_SHORT,
          "Behind the type word " + type.word() + " there is no key.",
          "Copy the whole line; the long base64 text is missing.",
          bodyFrom);
    }
    if (bodyTo - bodyFrom > MAX_TEXT) {
      throw new RefusedException(
          Reason.TOO_LARGE,
          "The body has " + (bodyTo - bodyFrom) + " characters; no key is that long.",
          "Give the .pub file itself.",
          bodyFrom);
    }
    PublicKey key;
    try {
      key = PublicBlob.read(Base64Text.decode(text, bodyFrom, bodyTo));
    } catch (RefusedException refused) {
      throw explained(refused.refusal(), text, bodyFrom, bodyTo, to);
    }
    if (key.type() != type) {
      throw new RefusedException(
          Reason.TYPE_MISMATCH,
          "The line says " + type.word() + ", but its body is " + key.type().word() + ".",
          "Copy the line again; type word and body belong to two different keys.",
          typeFrom);
    }
    return new Reading.Key(key, comment(text, bodyTo, to));
  }

  /** Finds the better explanation for a body that could not be read. */
  private static RefusedException explained(
      Refusal refusal, byte[] text, int from, int to, int end) {
    int half = (to - from) / 2;
    if ((to - from) % 2 == 0
        && Arrays.equals(text, from, from + half, text, from + half, to)
        && isKey(text, from, from + half)) {
      return new RefusedException(
          Reason.DOUBLED,
          "The key's body stands there twice, one behind the other.",
          "Paste the line once.",
          from + half);
    }
    if (refusal.reason() == Reason.CUT_SHORT && joinsWithRest(text, from, to, end)) {
      return new RefusedException(
          Reason.WRAPPED,
          "The key is broken by a blank inside its body.",
          "Take the blank out, or copy the line from the file itself.",
          to);
    }
    int position = refusal.position() < 0 ? from : refusal.position();
    return new RefusedException(refusal.reason(), refusal.sentence(), refusal.remedy(), position);
  }

  private static boolean isKey(byte[] text, int from, int to) {
    try {
      PublicBlob.read(Base64Text.decode(text, from, to));
      return true;
    } catch (RefusedException no) {
      return false;
    }
  }

  private static boolean joinsWithRest(byte[] text, int from, int to, int end) {
    byte[] joined = Arrays.copyOfRange(text, from, end);
    int length = to - from;
    int at = to;
    for (int word = 0; at < end && word < MOST_PIECES; word++) {
      int wordFrom = skipBlanks(text, at, end);
      int wordTo = skipWord(text, wordFrom, end);
      System.arraycopy(text, wordFrom, joined, length, wordTo - wordFrom);
      length += wordTo - wordFrom;
      at = wordTo;
      if (wordTo == wordFrom) {
        return false;
      }
      if (isKey(joined, 0, length)) {
        return true;
      }
    }
    return false;
  }

  private static RefusedException notAType(byte[] text, int from, int to, int end) {
    String word = new String(text, from, Math.min(to - from, 80), StandardCharsets.ISO_8859_1);
    if (word.endsWith("-cert-v01@openssh.com")) {
      return new RefusedException(
          Reason.CERTIFICATE,
          "This is an OpenSSH certificate, not a plain public key.",
          "Register the public key that the certificate was made for.",
          from);
    }
    if (word.startsWith("AAAA")) {
      return new RefusedException(
          Reason.OTHER_FORM,
          "The type word before the key is missing.",
          "Copy the whole line, from its first word on (ssh-ed25519, ssh-rsa, …).",
          from);
    }
    String rest = new String(text, from, end - from, StandardCharsets.ISO_8859_1);
    for (KeyType type : KeyType.values()) {
      if (rest.contains(" " + type.word() + " AAAA")) {
        return new RefusedException(
            Reason.OTHER_FORM,
            "Options stand before the key.",
            "Paste the line from the word " + type.word() + " on.",
            from);
      }
    }
    Optional<Refusal> other = OtherTypes.of(rest);
    if (other.isPresent()) {
      return new RefusedException(
          other.get().reason(), other.get().sentence(), other.get().remedy(), from);
    }
    String shown = PlainText.isPlain(word) ? " “" + word + "”" : "";
    return new RefusedException(
        Reason.UNKNOWN_TYPE,
        "The first word" + shown + " is no type of key that OpenSSH signs in with.",
        "Paste the line of a .pub file, which starts with a word such as ssh-ed25519 or ssh-rsa.",
        from);
  }

  private static Optional<Reading> otherForm(byte[] text, int[] line) {
    String start =
        new String(text, line[0], Math.min(line[1] - line[0], 80), StandardCharsets.ISO_8859_1)
            .trim();
    String form =
        start.startsWith("---- BEGIN SSH2 PUBLIC KEY")
            ? "the multi-line exchange form (RFC 4716)"
            : start.startsWith("-----BEGIN ") ? "PEM" : start.startsWith("{") ? "JSON" : null;
    return Optional.ofNullable(form)
        .map(
            f ->
                refused(
                    Reason.OTHER_FORM,
                    "This is " + f + ", not the one-line form.",
                    "Convert it with ssh-keygen -i, or give the .pub file.",
                    line[0]));
  }

  private static Reading severalLines(byte[] text, List<int[]> lines) {
    List<Integer> starts = new ArrayList<>();
    for (int[] line : lines) {
      int from = skipBlanks(text, line[0], line[1]);
      if (KeyType.ofBytes(text, from, skipWord(text, from, line[1])) != null) {
        starts.add(from);
      }
    }
    if (starts.size() == 1 && starts.get(0) == skipBlanks(text, lines.get(0)[0], lines.get(0)[1])) {
      return refused(
          Reason.WRAPPED,
          "The key is broken over " + lines.size() + " lines, as editors and mail programs do.",
          "Join the lines without blanks, or copy the line from the file itself.",
          lines.get(0)[1]);
    }
    String where = starts.size() < 2 ? "" : ", the second from position " + starts.get(1);
    return refused(
        Reason.SEVERAL_KEYS,
        "There are " + lines.size() + " lines in this text" + where + "; one key was expected.",
        "Register them one by one.",
        lines.get(1)[0]);
  }

  /** From-to offsets of the lines that are neither blank nor a comment. */
  private static List<int[]> keyLines(byte[] text) {
    List<int[]> lines = new ArrayList<>();
    int from = startsWithMark(text) ? 3 : 0;
    while (from < text.length) {
      int to = from;
      while (to < text.length && text[to] != '\n' && text[to] != '\r') {
        to++;
      }
      int word = skipBlanks(text, from, to);
      if (word < to && text[word] != '#') {
        lines.add(new int[] {from, to});
      }
      from = to + 1;
    }
    return lines;
  }

  private static boolean startsWithMark(byte[] text) {
    return text.length >= 3
        && (text[0] & 0xff) == 0xef
        && (text[1] & 0xff) == 0xbb
        && (text[2] & 0xff) == 0xbf;
  }

  private static String comment(byte[] text, int from, int to) {
    int start = skipBlanks(text, from, to);
    int end = to;
    while (end > start && isBlank(text[end - 1])) {
      end--;
    }
    return start == end
        ? ""
        : PlainText.shown(new String(text, start, end - start, StandardCharsets.UTF_8));
  }

  private static int skipBlanks(byte[] text, int from, int to) {
    int at = from;
    while (at < to && isBlank(text[at])) {
      at++;
    }
    return at;
  }

  private static int skipWord(byte[] text, int from, int to) {
    int at = from;
    while (at < to && !isBlank(text[at])) {
      at++;
    }
    return at;
  }

  private static boolean isBlank(byte value) {
    return value == ' ' || value == '\t' || value == '\r';
  }

  private static Reading refused(Reason reason, String sentence, String remedy, int position) {
    return new Reading.Refused(new Refusal(reason, sentence, remedy, position));
  }
}
