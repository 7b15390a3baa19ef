package tolvin.core.intake;

import tolvin.core.word.Words;

/** What was put right on the way in. Each is safe: it cannot turn one key into another. */
public enum Correction {
  UTF_16("The text was UTF-16, as some editors save it; it was read as such."),
  BYTE_ORDER_MARK("An invisible byte-order mark stood at the beginning."),
  LINE_ENDS("The lines end in CR or CRLF instead of LF."),
  WRAPPED("The key was broken over several lines; they were joined."),
  BLANK_INSIDE("Blanks stood inside the key's body; they were taken out."),
  PLUS_LOST("Plus signs had become blanks, as web forms do; they were restored."),
  BLANKS("Blanks stood around the key, or unusual ones inside the line."),
  INVISIBLE("Invisible characters stood inside the line; they were taken out."),
  REPLY_MARKS("Reply marks of a mail stood before the lines."),
  FENCE("A chat's code fence stood around it."),
  QUOTES("Quotes stood around it."),
  LIST_MARK("A list's mark stood before it, or a comma behind it."),
  ARMOUR_FLATTENED("The armoured text had lost its line breaks."),
  ARMOUR_LABEL("The armour's label names another form than the one inside."),
  TYPE_WORD("The type word before the body was missing; the body says it itself."),
  OTHER_TYPE_WORD(
      "Another word than the key's type stood before the body; the body says it itself."),
  URL_ALPHABET("The body was written with - and _ instead of + and /, as addresses are."),
  PADDING("The padding (=) at the body's end was missing or too long."),
  CONTINUED("Lines went on behind a backslash; they were joined."),
  QUOTED_PRINTABLE("The text was quoted-printable, as mails are sent; it was decoded."),
  MARKUP("HTML or Markdown stood around it; it was taken off."),
  COMMENT_JOINED("The comment was broken over two lines; its parts were joined."),
  COMMENT_SHOWN("The comment held characters that cannot be shown; they were replaced."),
  FILE_NAME("The file's name ends in .pub.txt; OpenSSH looks for .pub beside the private key.");

  private final String sentence;

  Correction(String sentence) {
    this.sentence = sentence;
  }

  /** What was put right, for people. */
  public String sentence() {
    return sentence;
  }

  /** The name for programs. */
  public String word() {
    return Words.of(this);
  }
}
