package tolvin.service.people;

import io.quarkus.security.identity.SecurityIdentity;
import jakarta.annotation.security.RolesAllowed;
import jakarta.ws.rs.DELETE;
import jakarta.ws.rs.GET;
import jakarta.ws.rs.POST;
import jakarta.ws.rs.Path;
import java.time.Duration;
import java.util.List;
import java.util.UUID;
import tolvin.api.Page;
import tolvin.api.people.NewTokenView;
import tolvin.api.people.TokenRequest;
import tolvin.api.people.TokenView;
import tolvin.service.problem.Checks;
import tolvin.service.problem.Problem;
import tolvin.service.web.Role;

/** API tokens. */
@Path("/api/v1/tokens")
@RolesAllowed({Role.ADMINISTRATOR, Role.SELF})
public class TokenResource {
  private final People people;
  private final SecurityIdentity caller;

  TokenResource(People people, SecurityIdentity caller) {
    this.people = people;
    this.caller = caller;
  }

  /** The tokens in force. */
  @GET
  public Page<TokenView> listTokens() {
    List<TokenView> tokens = people.tokens(onlyOf());
    return new Page<>(tokens, null);
  }

  /** Makes a token for the caller; it is shown this once. */
  @POST
  public NewTokenView addToken(TokenRequest request) {
    People.Guest guest = caller.getAttribute(GuestAuthentication.GUEST);
    if (guest.session() == null) {
      throw new Problem(
          403,
          "session-needed",
          "Sign-in needed",
          "A token is made by a person who signed in with their password, not with another token.",
          "Use tolvin token add, which asks for it, or the console.");
    }
    return people.makeToken(
        caller.getPrincipal().getName(),
        request.name(),
        Checks.duration(request.life(), "life", Duration.ofMinutes(1)));
  }

  /** Takes a token out of force. */
  @DELETE
  @Path("{id}")
  public void removeToken(UUID id) {
    people.revokeToken(id, onlyOf());
  }

  /** An administrator sees everyone's tokens, others their own. */
  private String onlyOf() {
    return caller.hasRole(Role.ADMINISTRATOR) ? null : caller.getPrincipal().getName();
  }
}
