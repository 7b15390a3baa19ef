package tolvin.service.removal;

import jakarta.annotation.security.RolesAllowed;
import jakarta.ws.rs.POST;
import jakarta.ws.rs.Path;
import java.util.UUID;
import tolvin.api.placement.SignInModeRequest;
import tolvin.api.placement.SignInModeView;
import tolvin.core.people.TokenScope;
import tolvin.service.record.account.AccountRow;
import tolvin.service.web.AsksForPassword;
import tolvin.service.web.Needs;
import tolvin.service.web.Role;

/** How accounts sign in. */
@Path("/api/v1")
@RolesAllowed(Role.ADMINISTRATOR)
public class SignInModeResource {
  private final SignInModeChanges changes;

  SignInModeResource(SignInModeChanges changes) {
    this.changes = changes;
  }

  /**
   * Changes how an account signs in, where its server lets us; to a key alone only when everybody
   * who signs in there has proven one, to a password alone only when nobody needs a key.
   */
  @POST
  @Needs(TokenScope.ADMINISTER)
  @AsksForPassword
  @Path("accounts/{id}/sign-in-mode")
  public SignInModeView changeSignInMode(UUID id, SignInModeRequest request) {
    AccountRow row =
        changes.change(
            id, request.mode(), request.reason(), Boolean.TRUE.equals(request.overrule()));
    return new SignInModeView(row.id, row.signInMode);
  }
}
