package tolvin.core.sheet;

import com.google.re2j.Matcher;
import com.google.re2j.Pattern;
import java.util.LinkedHashSet;
import java.util.Map;
import java.util.Set;

/**
 * A text with places for values, such as {@code /people/{account}/keys{?page}}. In a path it is a
 * URI template (RFC 6570) of which the operators that could reach outside ({@code +}, {@code #},
 * {@code .}) are not allowed.
 *
 * @param text as it stands in the sheet
 */
public record Template(String text) {
  /** Nothing. */
  public static final Template NONE = new Template("");

  private static final Pattern PLACE = Pattern.compile("\\{([^{}]*)\\}");
  private static final Pattern INSIDE = Pattern.compile("[?&/]?[a-z][a-z0-9-]*(,[a-z][a-z0-9-]*)*");

  /** The names of the values that it needs. */
  public Set<String> names() {
    Set<String> names = new LinkedHashSet<>();
    Matcher place = PLACE.matcher(text);
    while (place.find()) {
      String inside = place.group(1);
      String list =
          inside.isEmpty() || "?&/".indexOf(inside.charAt(0)) < 0 ? inside : inside.substring(1);
      names.addAll(Set.of(list.split(",")));
    }
    return names;
  }

  /** Why it is none, in a sentence; empty text if it is one. */
  String flaw(boolean path) {
    Matcher place = PLACE.matcher(text);
    while (place.find()) {
      String inside = place.group(1);
      if (!INSIDE.matcher(inside).matches() || !path && !inside.matches("[a-z][a-z0-9-]*")) {
        return "“{"
            + inside
            + "}” is no place for a value; write {name}"
            + (path
                ? ", {?name} or {/name}; {+name} could reach outside and is not allowed."
                : ".");
      }
    }
    String rest = PLACE.matcher(text).replaceAll("");
    if (rest.contains("{") || rest.contains("}")) {
      return "A brace stands alone.";
    }
    if (path
        && (!text.startsWith("/")
            || text.startsWith("//")
            || rest.contains("..")
            || rest.contains("\\")
            || rest.contains("#")
            || rest.contains("@"))) {
      return "A path begins with one / and stays below the system's address: without .., \\, # and @.";
    }
    return "";
  }

  /** The one name that it consists of; empty text if it is more than that. */
  public String only() {
    Matcher place = PLACE.matcher(text);
    return place.matches() ? place.group(1) : "";
  }

  /**
   * The text with the values in their places; what has no value leaves nothing. Not for paths.
   *
   * @param values by name
   */
  public String fill(Map<String, ?> values) {
    StringBuilder filled = new StringBuilder();
    Matcher place = PLACE.matcher(text);
    int from = 0;
    while (place.find()) {
      Object value = values.get(place.group(1));
      filled.append(text, from, place.start()).append(value == null ? "" : value);
      from = place.end();
    }
    return filled.append(text.substring(from)).toString();
  }

  @Override
  public String toString() {
    return text;
  }
}
