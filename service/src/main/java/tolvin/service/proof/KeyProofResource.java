package tolvin.service.proof;

import jakarta.annotation.security.RolesAllowed;
import jakarta.ws.rs.GET;
import jakarta.ws.rs.Path;
import jakarta.ws.rs.PathParam;
import java.util.UUID;
import tolvin.api.proof.CounterView;
import tolvin.api.proof.ProofsView;
import tolvin.service.web.Role;

/** What was proven of a key. */
@Path("/api/v1/keys/{id}/proofs")
@RolesAllowed(Role.ADMINISTRATOR)
public class KeyProofResource {
  private final Proofs proofs;

  KeyProofResource(Proofs proofs) {
    this.proofs = proofs;
  }

  /** What was proven of a key. */
  @GET
  public ProofsView showProofs(@PathParam("id") UUID id) {
    return new ProofsView(
        ProofViews.of(proofs.of(id)),
        proofs
            .counter(id)
            .map(c -> new CounterView(c.counter, c.seenAt, c.wentBackAt, c.wentBackTo))
            .orElse(null));
  }
}
