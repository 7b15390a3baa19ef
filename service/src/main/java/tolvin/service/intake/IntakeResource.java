package tolvin.service.intake;

import jakarta.annotation.security.RolesAllowed;
import jakarta.transaction.Transactional;
import jakarta.ws.rs.Consumes;
import jakarta.ws.rs.POST;
import jakarta.ws.rs.Path;
import jakarta.ws.rs.QueryParam;
import jakarta.ws.rs.core.MediaType;
import java.util.UUID;
import tolvin.api.intake.IntakeRequest;
import tolvin.api.intake.IntakeResultView;
import tolvin.api.intake.LookView;
import tolvin.core.estate.Custody;
import tolvin.core.people.TokenScope;
import tolvin.service.web.Needs;
import tolvin.service.web.Role;

/** The intake of keys. */
@Path("/api/v1/intake")
@RolesAllowed(Role.ADMINISTRATOR)
public class IntakeResource {
  private final Intakes intakes;

  IntakeResource(Intakes intakes) {
    this.intakes = intakes;
  }

  /** Looks at bytes of any form without keeping them. */
  @POST
  @Needs(TokenScope.READ)
  @Path("look")
  @Consumes(MediaType.APPLICATION_OCTET_STREAM)
  @Transactional
  public LookView lookAtIntake(
      byte[] content,
      @QueryParam("identity") UUID identity,
      @QueryParam("custody") Custody custody) {
    return intakes.look(content == null ? new byte[0] : content, identity, custody);
  }

  /** Takes lines in: each by itself, so that some may be registered and others refused. */
  @POST
  public IntakeResultView takeIn(IntakeRequest request) {
    return intakes.take(request);
  }
}
