package tolvin.service.rulebook;

import jakarta.annotation.security.RolesAllowed;
import jakarta.ws.rs.GET;
import jakarta.ws.rs.Path;
import java.util.List;
import java.util.UUID;
import tolvin.service.people.Role;

/** What the rulebook says of stored keys. */
@Path("/api/v1/keys/{id}/verdicts")
@RolesAllowed(Role.ADMINISTRATOR)
public class VerdictResource {
  private final Judgements judgements;

  VerdictResource(Judgements judgements) {
    this.judgements = judgements;
  }

  /** A verdict on a key, or on a place where it stands; then account names it. */
  public record JudgedView(String account, VerdictView verdict) {}

  /** The verdicts on a key by itself and on each place where it stands. */
  @GET
  public List<JudgedView> listVerdicts(UUID id) {
    return judgements.of(id).stream()
        .map(j -> new JudgedView(j.account().orElse(null), VerdictView.of(j.verdict())))
        .toList();
  }
}
