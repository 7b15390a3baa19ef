package tolvin.api.mine;

import java.util.UUID;
import tolvin.core.estate.SignInMode;

/** One of the caller's accounts. */
public record OwnAccountView(UUID id, String account, SignInMode signInMode) {}
