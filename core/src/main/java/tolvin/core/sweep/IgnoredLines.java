package tolvin.core.sweep;

import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.List;
import tolvin.core.authorized.Admission;
import tolvin.core.authorized.Admission.Kind;
import tolvin.core.authorized.AuthorizedKeys;

/**
 * The entries of a file of keys that a server ignores without a word, and those of which nobody can
 * be sure.
 */
public final class IgnoredLines {
  private static final int LONGEST = 200;
  private static final int MOST = 50;

  private IgnoredLines() {}

  /** Those of an account's file, the first fifty. */
  public static List<Seen.IgnoredLine> of(AuthorizedKeys file) {
    return of("", file);
  }

  /**
   * Likewise of a further file.
   *
   * @param path its path
   */
  public static List<Seen.IgnoredLine> of(String path, AuthorizedKeys file) {
    List<Seen.IgnoredLine> found = new ArrayList<>();
    int next = 1;
    for (AuthorizedKeys.Line line : file.lines()) {
      int number = next;
      next += feeds(line.content()) + feeds(line.ending());
      Admission admission = line.admission();
      boolean tells = admission.kind() == Kind.IGNORED || admission.kind() == Kind.DOUBTFUL;
      if (tells && found.size() < MOST) {
        found.add(
            new Seen.IgnoredLine(path, number, shown(line), admission.why(), admission.mayLetIn()));
      }
    }
    return found;
  }

  private static int feeds(byte[] bytes) {
    int feeds = 0;
    for (byte one : bytes) {
      feeds += one == '\n' ? 1 : 0;
    }
    return feeds;
  }

  private static String shown(AuthorizedKeys.Line line) {
    String text = new String(line.content(), StandardCharsets.UTF_8);
    return text.length() > LONGEST ? text.substring(0, LONGEST) + "…" : text;
  }
}
