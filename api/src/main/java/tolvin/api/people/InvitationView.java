package tolvin.api.people;

import java.time.Instant;
import java.util.UUID;

/**
 * A link with which a user chooses their password, once; it is shown this once and is not kept.
 *
 * @param until until when it is good
 */
public record InvitationView(UUID id, String login, String link, Instant until) {}
