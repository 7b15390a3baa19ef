package tolvin.core.sheet;

import java.util.ArrayList;
import java.util.List;
import tolvin.core.authorized.Mark;
import tolvin.core.estate.Access;
import tolvin.core.estate.Purpose;
import tolvin.core.key.PublicKey;
import tolvin.core.word.Words;

/**
 * One registered key of a system as one line of text, so that what was wanted can be compared with
 * what is found: the key, its title where titles are kept, and what it is for where that is not the
 * usual.
 */
public final class EntryLine {
  private EntryLine() {}

  /**
   * Writes it.
   *
   * @param title the title as it stands there; empty where there are none
   * @param purpose sign-in or signing
   * @param access read or write
   */
  public static String of(PublicKey key, String title, Purpose purpose, Access access) {
    List<String> comment = new ArrayList<>();
    if (!title.isEmpty()) {
      comment.add(title);
    }
    if (purpose != Purpose.SIGN_IN) {
      comment.add("(" + Words.of(purpose) + ")");
    }
    if (access != Access.WRITE) {
      comment.add("(" + Words.of(access) + ")");
    }
    return comment.isEmpty() ? key.line() : key.line(String.join(" ", comment));
  }

  /**
   * The title that a placement gets there: the person's words, shortened so that the mark still
   * fits.
   */
  public static String title(Ability ability, String title, Mark mark) {
    if (ability.title().isEmpty()) {
      return "";
    }
    Ability.Title rule = ability.title().get();
    String behind = rule.mark() ? " " + mark : "";
    int room = Math.max(0, rule.longest() - behind.length());
    String words = title.length() > room ? title.substring(0, room).stripTrailing() : title;
    return (words + behind).strip();
  }
}
