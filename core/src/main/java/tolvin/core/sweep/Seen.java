package tolvin.core.sweep;

import java.time.Instant;
import java.util.List;
import java.util.Optional;
import tolvin.core.diagnosis.Circumstances.PathStep;
import tolvin.core.estate.Registered;
import tolvin.core.estate.SignInMode;

/**
 * What a reading of one account showed.
 *
 * @param at when
 * @param registered the entries with keys
 * @param ignored what stands between them that the server ignores
 * @param path the file and the directories above it, the file first; empty where there is none
 * @param furtherPath likewise of the further files of an account's keys, without what is on the way
 *     to the first
 * @param ownerId the user that the account's files belong to; empty if that is not known
 * @param doors ways in besides the entries, for this account alone
 * @param modeSeen how the server lets the account sign in, as it showed: password, key, either or
 *     both; empty if nobody looked
 */
public record Seen(
    Instant at,
    List<Registered> registered,
    List<IgnoredLine> ignored,
    List<PathStep> path,
    List<PathStep> furtherPath,
    Optional<Long> ownerId,
    List<Door> doors,
    Optional<SignInMode> modeSeen) {

  /** Copies what can be copied. */
  public Seen {
    registered = List.copyOf(registered);
    ignored = List.copyOf(ignored);
    path = List.copyOf(path);
    furtherPath = List.copyOf(furtherPath);
    doors = List.copyOf(doors);
  }

  /**
   * The same, with what was seen earlier of how the account may sign in.
   *
   * @param mode null if nothing was
   */
  public Seen with(SignInMode mode) {
    return new Seen(
        at, registered, ignored, path, furtherPath, ownerId, doors, Optional.ofNullable(mode));
  }

  /** Where only entries can be seen. */
  public static Seen entries(Instant at, List<Registered> registered) {
    return entries(at, registered, List.of());
  }

  /** Likewise, with what stands between them. */
  public static Seen entries(Instant at, List<Registered> registered, List<IgnoredLine> ignored) {
    return new Seen(
        at,
        registered,
        ignored,
        List.of(),
        List.of(),
        Optional.empty(),
        List.of(),
        Optional.empty());
  }

  /**
   * A line that a server ignores, or may ignore.
   *
   * @param file the file that it stands in, where an account has several; empty for its first
   * @param number its number there, from 1
   * @param text the line, shortened
   * @param why why
   * @param mayLetIn whether it may let somebody in
   */
  public record IgnoredLine(String file, int number, String text, String why, boolean mayLetIn) {}

  /**
   * A way in that is not one of the entries.
   *
   * @param kind {@link FindingKind#AUTHORITY}, {@link FindingKind#KEY_COMMAND} or {@link
   *     FindingKind#SECOND_FILE}
   * @param what the file, command or configuration line
   */
  public record Door(FindingKind kind, String what) {}
}
