package tolvin.core.intake;

import java.util.Set;
import java.util.regex.Matcher;
import java.util.regex.Pattern;

/** What mail, chat and editors put around a line. */
final class Wrapping {
  private static final Pattern REPLY = Pattern.compile("^(?:>[> ]*)+");
  private static final Pattern LIST = Pattern.compile("^(?:[-*•·] +|\\d{1,6}[.)] +)(?=\\S)");
  private static final Pattern INVISIBLE =
      Pattern.compile("[\\u200b-\\u200d\\u2060\\ufeff\\u00ad]");
  private static final Pattern WIDE_BLANK =
      Pattern.compile("[\\u00a0\\u2000-\\u200a\\u202f\\u3000]");
  private static final String OPENING = "\"'`“‘«<„";
  private static final String CLOSING = "\"'`”’»>“";

  private static final int MOST_QUOTES = 8;

  private Wrapping() {}

  /** The line without what mail, chat and editors put around it. */
  static String bare(String raw, Set<Correction> corrections) {
    String text = raw;
    if (INVISIBLE.matcher(text).find()) {
      text = INVISIBLE.matcher(text).replaceAll("");
      corrections.add(Correction.INVISIBLE);
    }
    if (WIDE_BLANK.matcher(text).find()) {
      text = WIDE_BLANK.matcher(text).replaceAll(" ");
      corrections.add(Correction.BLANKS);
    }
    String stripped = text.strip();
    if (stripped.length() != text.length()) {
      corrections.add(Correction.BLANKS);
    }
    Matcher reply = REPLY.matcher(stripped);
    if (reply.find()) {
      stripped = stripped.substring(reply.end());
      corrections.add(Correction.REPLY_MARKS);
    }
    return stripped;
  }

  /** The line without a list's mark and without quotes; only what would be no key otherwise. */
  static String unquoted(String line, Set<Correction> corrections) {
    String text = line;
    Matcher list = LIST.matcher(text);
    if (list.find()) {
      text = text.substring(list.end());
      corrections.add(Correction.LIST_MARK);
    }
    if (text.length() > 2 && text.endsWith(",") && OPENING.indexOf(text.charAt(0)) >= 0) {
      text = text.substring(0, text.length() - 1).strip();
      corrections.add(Correction.LIST_MARK);
    }
    for (int deep = 0;
        deep < MOST_QUOTES
            && text.length() > 2
            && OPENING.indexOf(text.charAt(0)) >= 0
            && CLOSING.charAt(OPENING.indexOf(text.charAt(0))) == text.charAt(text.length() - 1);
        deep++) {
      text = text.substring(1, text.length() - 1).strip();
      corrections.add(Correction.QUOTES);
    }
    return text;
  }

  /** The line without HTML and Markdown; only what would be no key otherwise. */
  static String unmarked(String line, Set<Correction> corrections) {
    String text = Markup.without(line);
    if (!text.equals(line)) {
      corrections.add(Correction.MARKUP);
    }
    return text;
  }
}
