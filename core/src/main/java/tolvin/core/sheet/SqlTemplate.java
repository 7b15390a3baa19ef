package tolvin.core.sheet;

import java.util.ArrayList;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.Set;

/**
 * A statement with places for values. A value is bound ({@code :name}), or stands in the statement
 * as a quoted name ({@code {name:x}}) or a quoted text ({@code {text:x}}) where the statement can
 * bind nothing, or is one of the sheet's own slot names ({@code {slot}}).
 *
 * @param parts in their order
 */
public record SqlTemplate(List<Part> parts) {

  /** A part of a statement. */
  public sealed interface Part permits Plain, Bound, QuotedName, QuotedText, SlotWord {}

  /** Text of the sheet. */
  public record Plain(String text) implements Part {}

  /** A value that is bound. */
  public record Bound(String name) implements Part {}

  /** A value that stands there as a delimited identifier (SQL-92 section 5.2). */
  public record QuotedName(String name) implements Part {}

  /** A value that stands there as a character string literal (SQL-92 section 5.3). */
  public record QuotedText(String name) implements Part {}

  /** The name of the slot, which the sheet itself lists. */
  public record SlotWord() implements Part {}

  /**
   * A statement ready to be prepared.
   *
   * @param text with a question mark for each bound value
   * @param bound the values in their order; null for a value that is not there
   */
  public record Ready(String text, List<String> bound) {}

  /**
   * Reads one.
   *
   * @throws IllegalArgumentException with a sentence that says what is wrong
   */
  static SqlTemplate read(String text) {
    List<Part> parts = new ArrayList<>();
    StringBuilder plain = new StringBuilder();
    char quote = 0;
    for (int at = 0; at < text.length(); at++) {
      char c = text.charAt(at);
      if (quote != 0) {
        quote = c == quote ? 0 : quote;
        plain.append(c);
      } else if (c == '\'' || c == '"') {
        quote = c;
        plain.append(c);
      } else if (c == ';'
          || c == '?'
          || c == '$'
          || text.startsWith("--", at)
          || text.startsWith("/*", at)) {
        throw new IllegalArgumentException(
            "A statement is one statement, without ;, ?, $ and comments.");
      } else if (text.startsWith("::", at)) {
        plain.append("::");
        at++;
      } else if (c == ':') {
        String name = word(text, at + 1);
        if (name.isEmpty()) {
          throw new IllegalArgumentException("Behind a colon belongs the name of a value.");
        }
        at += name.length();
        flush(parts, plain);
        parts.add(new Bound(name));
      } else if (c == '{') {
        int end = text.indexOf('}', at);
        String inside = end < 0 ? "" : text.substring(at + 1, end);
        flush(parts, plain);
        parts.add(place(inside));
        at = end;
      } else {
        plain.append(c);
      }
    }
    if (quote != 0) {
      throw new IllegalArgumentException("A quotation mark is not closed.");
    }
    flush(parts, plain);
    return new SqlTemplate(List.copyOf(parts));
  }

  private static Part place(String inside) {
    if (inside.equals("slot")) {
      return new SlotWord();
    }
    if (inside.matches("name:[a-z][a-z0-9-]*")) {
      return new QuotedName(inside.substring(5));
    }
    if (inside.matches("text:[a-z][a-z0-9-]*")) {
      return new QuotedText(inside.substring(5));
    }
    throw new IllegalArgumentException(
        "“{" + inside + "}” is no place for a value; write :x, {name:x}, {text:x} or {slot}.");
  }

  private static String word(String text, int from) {
    int end = from;
    while (end < text.length()
        && (Character.isLowerCase(text.charAt(end))
            || end > from && (Character.isDigit(text.charAt(end)) || text.charAt(end) == '-'))) {
      end++;
    }
    return text.substring(from, end);
  }

  private static void flush(List<Part> parts, StringBuilder plain) {
    if (plain.length() > 0) {
      parts.add(new Plain(plain.toString()));
      plain.setLength(0);
    }
  }

  /** The names of the values that it needs. */
  public Set<String> names() {
    Set<String> names = new LinkedHashSet<>();
    for (Part part : parts) {
      if (part instanceof Bound p) {
        names.add(p.name());
      } else if (part instanceof QuotedName p) {
        names.add(p.name());
      } else if (part instanceof QuotedText p) {
        names.add(p.name());
      } else if (part instanceof SlotWord) {
        names.add("slot");
      }
    }
    return names;
  }

  /**
   * Puts the values in.
   *
   * @param values by name
   * @throws IllegalArgumentException if a value cannot stand in a statement, with a sentence
   */
  public Ready fill(Map<String, ?> values) {
    StringBuilder text = new StringBuilder();
    List<String> bound = new ArrayList<>();
    for (Part part : parts) {
      if (part instanceof Plain p) {
        text.append(p.text());
      } else if (part instanceof Bound p) {
        text.append('?');
        Object value = values.get(p.name());
        bound.add(value == null ? null : value.toString());
      } else if (part instanceof QuotedName p) {
        text.append('"').append(safe(p.name(), values).replace("\"", "\"\"")).append('"');
      } else if (part instanceof QuotedText p) {
        text.append('\'').append(safe(p.name(), values).replace("'", "''")).append('\'');
      } else {
        String slot = safe("slot", values);
        if (!slot.matches("[A-Za-z0-9_]{1,60}")) {
          throw new IllegalArgumentException("“" + slot + "” is no slot's name.");
        }
        text.append(slot);
      }
    }
    return new Ready(text.toString(), bound);
  }

  /**
   * What stands inside of quotation marks must not depend on a server's way of escaping: no
   * backslash, no control character.
   */
  private static String safe(String name, Map<String, ?> values) {
    Object value = values.get(name);
    String text = value == null ? "" : value.toString();
    if (text.chars().anyMatch(c -> c == '\\' || Character.isISOControl(c))) {
      throw new IllegalArgumentException(
          "The value of “"
              + name
              + "” has a backslash or a control character, which cannot stand"
              + " in a statement.");
    }
    return text;
  }
}
