package tolvin.service.rewrap;

import jakarta.annotation.security.RolesAllowed;
import jakarta.ws.rs.POST;
import jakarta.ws.rs.Path;
import java.util.Map;
import java.util.UUID;
import tolvin.api.coffer.RewrappedView;
import tolvin.core.people.TokenScope;
import tolvin.service.coffer.Coffer;
import tolvin.service.journal.Journal;
import tolvin.service.web.AsksForPassword;
import tolvin.service.web.Needs;
import tolvin.service.web.Role;

/** The coffer's master key. */
@Path("/api/v1/coffer")
@RolesAllowed(Role.ADMINISTRATOR)
@Needs(TokenScope.ADMINISTER)
public class CofferResource {
  private static final UUID COFFER = new UUID(0, 3);

  private final Coffer coffer;
  private final Journal journal;

  CofferResource(Coffer coffer, Journal journal) {
    this.coffer = coffer;
    this.journal = journal;
  }

  /** Exchanges the master key: every secret is wrapped by a new one, and the former is dropped. */
  @POST
  @Path("rewrap")
  @AsksForPassword
  public RewrappedView rewrap() {
    Coffer.Exchanged done =
        coffer.exchange(
            exchanged ->
                journal.write(
                    "coffer.rewrapped",
                    COFFER,
                    "The master key was exchanged; "
                        + exchanged.entries()
                        + " secrets are wrapped by the new one",
                    Map.of("entries", exchanged.entries())));
    return new RewrappedView(done.entries());
  }
}
