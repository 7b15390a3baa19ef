package tolvin.service.mine;

import jakarta.annotation.security.RolesAllowed;
import jakarta.ws.rs.GET;
import jakarta.ws.rs.POST;
import jakarta.ws.rs.Path;
import tolvin.api.mine.OwnPlacementRequest;
import tolvin.api.mine.OwnPlacementView;
import tolvin.api.mine.OwnView;
import tolvin.service.web.Role;

/** The caller's own keys and accounts. */
@Path("/api/v1/mine")
@RolesAllowed({Role.ADMINISTRATOR, Role.SELF})
public class MineResource {
  private final Mine mine;

  MineResource(Mine mine) {
    this.mine = mine;
  }

  /** The caller's keys and accounts. */
  @GET
  public OwnView showMine() {
    return mine.of();
  }

  /** Places one's own proven key on one's own account. */
  @POST
  @Path("placements")
  public OwnPlacementView addMine(OwnPlacementRequest request) {
    return mine.place(request);
  }
}
