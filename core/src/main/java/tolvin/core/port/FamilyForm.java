package tolvin.core.port;

import java.util.List;
import java.util.Optional;
import tolvin.core.estate.Family;

/**
 * What a person is asked for when they attach a destination of a family.
 *
 * @param family the family
 * @param title what it is, in a few words
 * @param port its usual TCP port
 * @param user what Tolvin connects as if nothing is said; empty if it is not asked
 * @param with what Tolvin connects with
 * @param speaksSsh whether its host is an SSH server, whose host keys are compared and watched
 * @param signsInElsewhere whether its accounts sign in at another server, which takes the keys from
 *     there
 * @param settings what else is asked
 */
public record FamilyForm(
    Family family,
    String title,
    int port,
    Optional<String> user,
    With with,
    boolean speaksSsh,
    boolean signsInElsewhere,
    List<Setting> settings) {

  /** What Tolvin connects with. */
  public enum With {
    /** A key pair that it makes for the destination. */
    KEY,
    /** A secret that it is given. */
    SECRET,
    /** Nothing: nobody but its own administrator gets in. */
    NOTHING
  }

  /**
   * One thing that is asked for.
   *
   * @param about what it is, for the sentence that asks
   * @param usual what it is if nothing is said; empty if something has to be said
   * @param severalLines whether it takes several lines
   */
  public record Setting(String name, String about, Optional<String> usual, boolean severalLines) {
    /** One that has to be given. */
    public static Setting needed(String name, String about) {
      return new Setting(name, about, Optional.empty(), false);
    }

    /** One with a usual value. */
    public static Setting usual(String name, String about, String usual) {
      return new Setting(name, about, Optional.of(usual), false);
    }
  }
}
