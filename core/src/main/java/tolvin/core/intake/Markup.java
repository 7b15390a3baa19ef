package tolvin.core.intake;

import java.util.EnumSet;
import java.util.Map;
import java.util.Optional;
import java.util.regex.Matcher;
import java.util.regex.Pattern;

/**
 * What HTML and Markdown put around a line of text and into it: tags, character references (HTML
 * section 13.5), emphasis, escapes and table cells (CommonMark 0.31 section 2.4).
 */
final class Markup {
  private static final Pattern TAG = Pattern.compile("</?[A-Za-z][A-Za-z0-9-]*(?:\\s[^<>]*)?/?>");
  private static final Pattern REFERENCE =
      Pattern.compile("&(?:#(\\d{1,7})|#[xX]([0-9A-Fa-f]{1,6})|([A-Za-z]{2,8}));");
  private static final Map<String, String> NAMES =
      Map.of(
          "amp", "&", "lt", "<", "gt", ">", "quot", "\"", "apos", "'", "nbsp", " ", "plus", "+",
          "equals", "=", "sol", "/", "commat", "@");
  private static final Pattern ESCAPE =
      Pattern.compile("\\\\([-!\"#$%&'()*+,./:;<=>?@\\[\\]^_`{|}~])");
  private static final Pattern EMPHASIS = Pattern.compile("^(\\*{1,3}|_{1,3}|~~)(.+)\\1$");

  private static final int MOST_EMPHASIS = 3;

  private Markup() {}

  /** Whether a line is nothing but markup. */
  static boolean isAll(String line) {
    return line.startsWith("<") && TAG.matcher(line).replaceAll("").isBlank();
  }

  /** The line without markup; of the cells of a table, the one that a key can be read from. */
  static String without(String line) {
    String text = line;
    if (text.indexOf('<') >= 0) {
      text = TAG.matcher(text).replaceAll("");
    }
    if (text.indexOf('&') >= 0) {
      text = REFERENCE.matcher(text).replaceAll(Markup::character);
    }
    text = text.strip();
    if (text.startsWith("|")) {
      text = cell(text).orElse(text);
    }
    for (int deep = 0; deep < MOST_EMPHASIS; deep++) {
      Matcher inner = EMPHASIS.matcher(text);
      text = inner.matches() ? inner.group(2).strip() : text;
    }
    return text.indexOf('\\') < 0 ? text : ESCAPE.matcher(text).replaceAll("$1");
  }

  private static String character(java.util.regex.MatchResult reference) {
    String whole = reference.group();
    String text = whole;
    if (reference.group(3) != null) {
      text = NAMES.getOrDefault(reference.group(3), whole);
    } else {
      int point =
          reference.group(1) != null
              ? Integer.parseInt(reference.group(1))
              : Integer.parseInt(reference.group(2), 16);
      text = Character.isValidCodePoint(point) && point > ' ' ? Character.toString(point) : whole;
    }
    return Matcher.quoteReplacement(text);
  }

  private static Optional<String> cell(String row) {
    String found = null;
    for (String cell : row.split("\\|")) {
      String text = Wrapping.unquoted(cell.strip(), EnumSet.noneOf(Correction.class));
      if (LineReader.read(text).outcome() instanceof Outcome.Key) {
        if (found != null) {
          return Optional.empty();
        }
        found = text;
      }
    }
    return Optional.ofNullable(found);
  }
}
