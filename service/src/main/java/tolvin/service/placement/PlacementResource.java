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
import tolvin.api.placement.WithdrawalRequest;
import tolvin.core.removal.Removal;
import tolvin.service.destination.AccountStore;
import tolvin.service.destination.DestinationStore;
import tolvin.service.key.KeyRow;
import tolvin.service.key.KeyStore;
import tolvin.service.people.Role;
import tolvin.service.rotation.Removals;
import tolvin.service.web.Problem;

/** Placements. */
@Path("/api/v1/placements")
@RolesAllowed(Role.ADMINISTRATOR)
public class PlacementResource {
  private final Placements placements;
  private final PlacementStore store;
  private final KeyStore keys;
  private final AccountStore accounts;
  private final DestinationStore destinations;
  private final Removals removals;

  PlacementResource(
      Placements placements,
      PlacementStore store,
      KeyStore keys,
      AccountStore accounts,
      DestinationStore destinations,
      Removals removals) {
    this.placements = placements;
    this.store = store;
    this.keys = keys;
    this.accounts = accounts;
    this.destinations = destinations;
    this.removals = removals;
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
    return new Page<>(rows.stream().map(this::view).toList(), null);
  }

  /** One placement. */
  @GET
  @Path("{id}")
  @Transactional
  public PlacementView showPlacement(UUID id) {
    return view(store.get(id));
  }

  /**
   * Wants a key on an account; it is placed by the runner, and the placement shows how far it is.
   */
  @POST
  @Transactional
  public PlacementView addPlacement(PlacementRequest request) {
    return view(placements.want(request));
  }

  /** Wants a placement withdrawn; refused while something would break, unless that is overruled. */
  @POST
  @Path("{id}/withdraw")
  @Transactional
  public PlacementView withdrawPlacement(UUID id, WithdrawalRequest request) {
    PlacementRow row = store.get(id);
    accounts.lock(row.accountId); // other doors plan under the same lock
    Removal removal =
        Removals.of(row.accountId, keys.get(row.keyId).fingerprint, Removal.Door.WITHDRAWAL);
    boolean overrule = Boolean.TRUE.equals(request.overrule());
    return view(placements.withdraw(id, request.reason(), removals.refuse(removal, overrule)));
  }

  private PlacementView view(PlacementRow row) {
    KeyRow key = keys.get(row.keyId);
    return new PlacementView(
        row.id,
        row.keyId,
        key.fingerprint,
        row.accountId,
        destinations.nameOf(accounts.get(row.accountId)),
        row.state,
        row.reason,
        row.title,
        row.purpose,
        row.access,
        row.reference,
        row.line,
        row.sources,
        row.endsAt,
        row.options,
        row.wantedAt,
        row.placedAt,
        row.provenAt,
        row.withdrawnAt);
  }
}
