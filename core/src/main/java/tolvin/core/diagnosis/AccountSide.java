package tolvin.core.diagnosis;

import java.util.List;
import java.util.Map;
import java.util.Optional;
import tolvin.core.estate.Registered;
import tolvin.core.sheet.Ability;

/**
 * What the system that keeps an account's keys says of the account.
 *
 * @param name what the account is called, for sentences
 * @param registered what is registered on it now; empty if it could not be read
 * @param unread why not; empty if it was read
 * @param state what the system says of the account: {@code sign-in-mode}, {@code enabled}
 * @param ability what its accounts can hold; empty if that is not on record
 */
public record AccountSide(
    String name,
    Optional<List<Registered>> registered,
    Optional<Unread> unread,
    Map<String, String> state,
    Optional<Ability> ability) {

  /**
   * Why an account could not be read.
   *
   * @param noAccount whether the system has no account of that name
   * @param sentence what happened
   */
  public record Unread(boolean noAccount, String sentence) {}

  /** What is not known of it. */
  List<String> unknowns() {
    return unread.filter(why -> !why.noAccount()).stream()
        .map(why -> "What is registered there could not be read: " + why.sentence())
        .toList();
  }
}
