package tolvin.api.placement;

import org.jspecify.annotations.Nullable;
import tolvin.core.estate.SignInMode;

/**
 * What is wished.
 *
 * @param mode password, key, either or both
 * @param reason why, for the journal
 * @param overrule whether it is done although something would break, which the refusal tells
 */
public record SignInModeRequest(SignInMode mode, String reason, @Nullable Boolean overrule) {}
