package tolvin.api.placement;

import java.util.UUID;
import tolvin.core.estate.SignInMode;

/** How an account signs in now. */
public record SignInModeView(UUID accountId, SignInMode mode) {}
