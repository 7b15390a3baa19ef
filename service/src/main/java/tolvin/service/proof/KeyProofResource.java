package tolvin.service.proof;

import jakarta.annotation.security.RolesAllowed;
import jakarta.ws.rs.GET;
import jakarta.ws.rs.Path;
import jakarta.ws.rs.PathParam;
import java.time.Instant;
import java.util.List;
import java.util.UUID;
import tolvin.service.people.Role;

/** What was proven of a key. */
@Path("/api/v1/keys/{id}/proofs")
@RolesAllowed(Role.ADMINISTRATOR)
public class KeyProofResource {
  private final Proofs proofs;

  KeyProofResource(Proofs proofs) {
    this.proofs = proofs;
  }

  /**
   * The counter of a key's device.
   *
   * @param wentBackAt when it showed a lower one, which a second device would; absent if never
   */
  public record CounterView(long counter, Instant seenAt, Instant wentBackAt, Long wentBackTo) {}

  /** All that was proven of a key. */
  public record ProofsView(List<ProofView> proofs, CounterView counter) {}

  /** What was proven of a key. */
  @GET
  public ProofsView showProofs(@PathParam("id") UUID id) {
    return new ProofsView(
        ProofView.of(proofs.of(id)),
        proofs
            .counter(id)
            .map(c -> new CounterView(c.counter, c.seenAt, c.wentBackAt, c.wentBackTo))
            .orElse(null));
  }
}
