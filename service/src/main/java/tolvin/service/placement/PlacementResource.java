package tolvin.service.placement;

import jakarta.annotation.security.RolesAllowed;
import jakarta.transaction.Transactional;
import jakarta.ws.rs.GET;
import jakarta.ws.rs.POST;
import jakarta.ws.rs.Path;
import jakarta.ws.rs.QueryParam;
import java.util.List;
import java.util.UUID;
import tolvin.api.Page;
import tolvin.api.placement.PlacementRequest;
import tolvin.api.placement.PlacementView;
import tolvin.service.problem.Problem;
import tolvin.service.record.placement.PlacementRow;
import tolvin.service.record.placement.PlacementStore;
import tolvin.service.web.Role;

/** Placements. */
@Path("/api/v1/placements")
@RolesAllowed(Role.ADMINISTRATOR)
public class PlacementResource {
  private final Placements placements;
  private final PlacementStore store;
  private final PlacementViews views;

  PlacementResource(Placements placements, PlacementStore store, PlacementViews views) {
    this.placements = placements;
    this.store = store;
    this.views = views;
  }

  /** The placements on an account, or those of a key with the withdrawn ones. */
  @GET
  @Transactional
  public Page<PlacementView> listPlacements(
      @QueryParam("key") UUID key, @QueryParam("account") UUID account) {
    if (key == null && account == null) {
      throw Problem.invalid(
          "A key or an account is needed.", "Add ?key= or ?account= with its id.");
    }
    List<PlacementRow> rows =
        key != null ? store.everOfKeys(List.of(key)) : store.liveOnAccounts(List.of(account));
    return new Page<>(rows.stream().map(views::of).toList(), null);
  }

  /** One placement. */
  @GET
  @Path("{id}")
  @Transactional
  public PlacementView showPlacement(UUID id) {
    return views.of(store.get(id));
  }

  /**
   * Wants a key on an account; it is placed by the runner, and the placement shows how far it is.
   */
  @POST
  @Transactional
  public PlacementView addPlacement(PlacementRequest request) {
    return views.of(placements.want(request));
  }
}
