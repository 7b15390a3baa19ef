package tolvin.api.registration;

import java.util.List;
import org.jspecify.annotations.Nullable;

/**
 * Which keys, or which accounts: all that fit any of these together.
 *
 * @param named each by a name: a key by fingerprint, by id, or by its identity where that has one
 *     key; an account as LOGIN@DESTINATION or by id
 * @param search a part of what a list of them searches in
 * @param team all of a team, by its whole name: the keys of its identities; the accounts that
 *     belong to them or hold their keys
 */
public record Choice(@Nullable List<String> named, @Nullable String search, @Nullable String team) {

  /** Some by their names. */
  public static Choice of(List<String> named) {
    return new Choice(named, null, null);
  }
}
