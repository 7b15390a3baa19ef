package tolvin.service.people;

import io.quarkus.security.identity.SecurityIdentity;
import jakarta.annotation.security.RolesAllowed;
import jakarta.ws.rs.DELETE;
import jakarta.ws.rs.GET;
import jakarta.ws.rs.POST;
import jakarta.ws.rs.Path;
import java.time.Duration;
import java.util.UUID;
import tolvin.api.Page;
import tolvin.api.people.NewTokenView;
import tolvin.api.people.TokenRequest;
import tolvin.api.people.TokenView;
import tolvin.core.people.TokenScope;
import tolvin.service.problem.Checks;
import tolvin.service.web.AsksForPassword;
import tolvin.service.web.Role;

/** API tokens. */
@Path("/api/v1/tokens")
@RolesAllowed({Role.ADMINISTRATOR, Role.SELF})
public class TokenResource {
  private final Tokens tokens;
  private final SecurityIdentity caller;

  TokenResource(Tokens tokens, SecurityIdentity caller) {
    this.tokens = tokens;
    this.caller = caller;
  }

  /** The tokens in force. */
  @GET
  public Page<TokenView> listTokens() {
    return new Page<>(tokens.inForce(guest().onlyOf()), null);
  }

  /** Makes a token for the caller; it is shown this once. */
  @POST
  @AsksForPassword
  public NewTokenView addToken(TokenRequest request) {
    return tokens.make(
        guest().user(),
        request.name(),
        Checks.duration(request.life(), "life", Duration.ofMinutes(1)),
        request.scope() == null ? TokenScope.OPERATE : request.scope());
  }

  /** Takes a token out of force. */
  @DELETE
  @Path("{id}")
  public void removeToken(UUID id) {
    tokens.remove(id, guest().onlyOf());
  }

  private Guest guest() {
    return Guest.of(caller).orElseThrow(); // the roles of the calls demand it
  }
}
