package tolvin.service.rulebook;

import jakarta.annotation.security.RolesAllowed;
import jakarta.ws.rs.GET;
import jakarta.ws.rs.Path;
import java.util.List;
import java.util.UUID;
import tolvin.api.rulebook.JudgedView;
import tolvin.service.web.Role;

/** What the rulebook says of stored keys. */
@Path("/api/v1/keys/{id}/verdicts")
@RolesAllowed(Role.ADMINISTRATOR)
public class VerdictResource {
  private final Judgements judgements;

  VerdictResource(Judgements judgements) {
    this.judgements = judgements;
  }

  /** The verdicts on a key by itself and on each place where it stands. */
  @GET
  public List<JudgedView> listVerdicts(UUID id) {
    return judgements.of(id).stream()
        .map(j -> new JudgedView(j.account().orElse(null), VerdictViews.of(j.verdict())))
        .toList();
  }
}
