package tolvin.service.schedule;

import jakarta.annotation.security.RolesAllowed;
import jakarta.ws.rs.DELETE;
import jakarta.ws.rs.GET;
import jakarta.ws.rs.POST;
import jakarta.ws.rs.Path;
import java.util.UUID;
import tolvin.api.Page;
import tolvin.api.schedule.FreezeRequest;
import tolvin.api.schedule.FreezeView;
import tolvin.core.people.TokenScope;
import tolvin.service.record.schedule.FreezeRow;
import tolvin.service.web.Needs;
import tolvin.service.web.Role;

/** Freezes. */
@Path("/api/v1")
@RolesAllowed(Role.ADMINISTRATOR)
public class ScheduleResource {
  private final Schedule schedule;

  ScheduleResource(Schedule schedule) {
    this.schedule = schedule;
  }

  /** The freezes that are not over. */
  @GET
  @Path("freezes")
  public Page<FreezeView> listFreezes() {
    return new Page<>(
        schedule.freezeRows().stream()
            .map(f -> new FreezeView(f.id, f.fromAt, f.untilAt, f.reason))
            .toList(),
        null);
  }

  /** Adds a freeze. */
  @POST
  @Needs(TokenScope.ADMINISTER)
  @Path("freezes")
  public FreezeView addFreeze(FreezeRequest request) {
    FreezeRow f = schedule.addFreeze(request);
    return new FreezeView(f.id, f.fromAt, f.untilAt, f.reason);
  }

  /** Lifts a freeze. */
  @DELETE
  @Needs(TokenScope.ADMINISTER)
  @Path("freezes/{id}")
  public void removeFreeze(UUID id) {
    schedule.removeFreeze(id);
  }
}
