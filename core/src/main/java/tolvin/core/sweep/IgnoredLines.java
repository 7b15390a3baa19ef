package tolvin.core.sweep;

import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.List;
import tolvin.core.authorized.Admission;
import tolvin.core.authorized.Admission.Kind;
import tolvin.core.authorized.AuthorizedKeys;

/**
 * The lines of an {@code authorized_keys} file that a server ignores without a word, and those of
 * which nobody can be sure.
 */
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
      Admission admission = line.admission();
      boolean tells = admission.kind() == Kind.IGNORED || admission.kind() == Kind.DOUBTFUL;
      if (tells && found.size() < MOST) {
        found.add(new Seen.IgnoredLine(number, shown(line), admission.why(), admission.mayLetIn()));
      }
    }
    return found;
  }

  private static String shown(AuthorizedKeys.Line line) {
    String text = new String(line.content(), StandardCharsets.UTF_8);
    return text.length() > LONGEST ? text.substring(0, LONGEST) + "…" : text;
  }
}
