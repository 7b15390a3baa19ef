package tolvin.api.command;

import org.jspecify.annotations.Nullable;

/**
 * A command to approve.
 *
 * @param command as it is run by the shell of the account that Tolvin signs in as, word by word
 * @param reason what it is for
 */
public record HostCommandRequest(String command, @Nullable String reason) {}
