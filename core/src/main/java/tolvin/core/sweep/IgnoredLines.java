package tolvin.core.sweep;

import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.List;
import tolvin.core.authorized.AuthorizedKeys;
import tolvin.core.authorized.KeyOptions;
import tolvin.core.key.RefusedException;

/** The lines of an {@code authorized_keys} file that a server ignores without a word. */
public final class IgnoredLines {
  private static final int LONGEST = 200;
  private static final int MOST = 50;

  private IgnoredLines() {}

  /** Those of a file, the first fifty. */
  public static List<Seen.IgnoredLine> of(AuthorizedKeys file) {
    List<Seen.IgnoredLine> found = new ArrayList<>();
    int number = 0;
    for (AuthorizedKeys.Line line : file.lines()) {
      number++;
      String text = line.text().strip();
      if (text.isEmpty() || text.startsWith("#") || found.size() == MOST) {
        continue;
      }
      String why = why(line);
      if (why != null) {
        found.add(new Seen.IgnoredLine(number, shown(line), why));
      }
    }
    return found;
  }

  private static String why(AuthorizedKeys.Line line) {
    if (line.key().isEmpty()) {
      return "no key can be read in it";
    }
    try {
      KeyOptions.read(line.options().strip());
      return null;
    } catch (RefusedException e) {
      return e.refusal().sentence();
    }
  }

  private static String shown(AuthorizedKeys.Line line) {
    String text = new String(line.content(), StandardCharsets.UTF_8);
    return text.length() > LONGEST ? text.substring(0, LONGEST) + "…" : text;
  }
}
