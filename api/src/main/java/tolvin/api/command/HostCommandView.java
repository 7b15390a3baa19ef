package tolvin.api.command;

import java.time.Instant;
import java.util.UUID;

/**
 * A command that may be run on hosts.
 *
 * @param approvedBy the login of who approved it
 * @param uses how many seats and destinations name it
 */
public record HostCommandView(
    UUID id, String command, String reason, String approvedBy, Instant approvedAt, long uses) {}
