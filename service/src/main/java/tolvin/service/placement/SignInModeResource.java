package tolvin.service.placement;

import jakarta.annotation.security.RolesAllowed;
import jakarta.ws.rs.POST;
import jakarta.ws.rs.Path;
import java.util.UUID;
import tolvin.service.destination.AccountRow;
import tolvin.service.people.Role;

/** How accounts sign in. */
@Path("/api/v1")
@RolesAllowed(Role.ADMINISTRATOR)
public class SignInModeResource {
  private final SignInModeChanges changes;

  SignInModeResource(SignInModeChanges changes) {
    this.changes = changes;
  }

  /**
   * What is wished.
   *
   * @param mode password, key, either or both
   * @param reason why, for the journal
   * @param overrule whether it is done although something would break, which the refusal tells
   */
  public record ModeWish(String mode, String reason, Boolean overrule) {}

  /** How an account signs in now. */
  public record Mode(UUID accountId, String mode) {}

  /**
   * Changes how an account signs in, where its server lets us; to a key alone only when everybody
   * who signs in there has proven one, to a password alone only when nobody needs a key.
   */
  @POST
  @Path("accounts/{id}/sign-in-mode")
  public Mode changeSignInMode(UUID id, ModeWish wish) {
    AccountRow row =
        changes.change(id, wish.mode(), wish.reason(), Boolean.TRUE.equals(wish.overrule()));
    return new Mode(row.id, row.signInMode);
  }
}
