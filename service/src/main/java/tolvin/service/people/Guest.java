package tolvin.service.people;

import io.quarkus.security.identity.SecurityIdentity;
import java.time.Instant;
import java.util.Optional;
import java.util.UUID;
import tolvin.core.people.TokenScope;
import tolvin.core.people.UserRole;
import tolvin.service.record.people.SessionRow;
import tolvin.service.record.people.TokenRow;
import tolvin.service.record.people.UserRow;

/**
 * Somebody who has come in.
 *
 * @param identity whose keys are theirs; absent for an administrator without one
 * @param session of the console; absent with a token
 * @param csrf the secret that every change in the session carries; absent with a token
 * @param confirmedAt when the password was last given; absent with a token
 * @param scope of the token; absent in a session
 * @param openedAt when a link last let somebody choose the password; absent if none ever did
 * @param openedBy who had made that link
 */
public record Guest(
    UUID user,
    String login,
    String name,
    UserRole role,
    UUID identity,
    UUID session,
    String csrf,
    Instant confirmedAt,
    TokenScope scope,
    Instant openedAt,
    String openedBy) {

  /** The attribute of a caller that holds who they are. */
  static final String ATTRIBUTE = "guest";

  /** Who calls; empty for somebody who did not sign in. */
  public static Optional<Guest> of(SecurityIdentity caller) {
    return Optional.ofNullable(caller.isAnonymous() ? null : caller.getAttribute(ATTRIBUTE));
  }

  /** Whose sessions and tokens they see: everybody's if empty, which is for administrators. */
  Optional<UUID> onlyOf() {
    return role == UserRole.ADMINISTRATOR ? Optional.empty() : Optional.of(user);
  }

  static Guest of(UserRow user, SessionRow session) {
    return of(user, session.id, session.csrf, session.confirmedAt, null);
  }

  static Guest of(UserRow user, TokenRow token) {
    return of(user, null, null, null, token.scope);
  }

  private static Guest of(
      UserRow user, UUID session, String csrf, Instant confirmedAt, TokenScope scope) {
    return new Guest(
        user.id,
        user.login,
        user.name,
        user.role,
        user.identityId,
        session,
        csrf,
        confirmedAt,
        scope,
        user.openedAt,
        user.openedBy);
  }
}
