package tolvin.api.registration;

import java.time.Instant;
import java.util.List;
import org.jspecify.annotations.Nullable;
import tolvin.core.estate.Access;
import tolvin.core.estate.Purpose;

/**
 * On what terms keys are placed.
 *
 * @param title where the private key lives; the key's comment if absent, or whose it is
 * @param purpose what the key is for; sign-in if absent
 * @param access what it may do; write if absent
 * @param sources the addresses that the key is good from; absent or empty for all
 * @param endsAt when the destination stops accepting it by itself; absent for never
 * @param options other options of a line of authorized_keys, one each
 */
public record PlacingTerms(
    @Nullable String title,
    @Nullable Purpose purpose,
    @Nullable Access access,
    @Nullable List<String> sources,
    @Nullable Instant endsAt,
    @Nullable List<String> options) {
  /** A sign-in without limits, titled after its key. */
  public static final PlacingTerms PLAIN = new PlacingTerms(null, null, null, null, null, null);
}
