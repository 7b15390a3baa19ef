package tolvin.service.removal;

import jakarta.annotation.security.RolesAllowed;
import jakarta.transaction.Transactional;
import jakarta.ws.rs.POST;
import jakarta.ws.rs.Path;
import java.util.UUID;
import tolvin.api.placement.PlacementView;
import tolvin.api.placement.WithdrawalRequest;
import tolvin.core.removal.Removal;
import tolvin.service.placement.PlacementViews;
import tolvin.service.placement.Placements;
import tolvin.service.record.account.AccountStore;
import tolvin.service.record.key.KeyStore;
import tolvin.service.record.placement.PlacementRow;
import tolvin.service.record.placement.PlacementStore;
import tolvin.service.web.Role;

/** Withdrawals of single placements. */
@Path("/api/v1/placements")
@RolesAllowed(Role.ADMINISTRATOR)
public class WithdrawalResource {
  private final Placements changes;
  private final PlacementViews views;
  private final Removals removals;
  private final PlacementStore placements;
  private final KeyStore keys;
  private final AccountStore accounts;

  WithdrawalResource(
      Placements changes,
      PlacementViews views,
      Removals removals,
      PlacementStore placements,
      KeyStore keys,
      AccountStore accounts) {
    this.changes = changes;
    this.views = views;
    this.removals = removals;
    this.placements = placements;
    this.keys = keys;
    this.accounts = accounts;
  }

  /** Wants a placement withdrawn; refused while something would break, unless that is overruled. */
  @POST
  @Path("{id}/withdraw")
  @Transactional
  public PlacementView withdrawPlacement(UUID id, WithdrawalRequest request) {
    PlacementRow row = placements.get(id);
    accounts.lock(row.accountId); // other doors plan under the same lock
    Removal removal =
        Removals.of(row.accountId, keys.get(row.keyId).fingerprint, Removal.Door.WITHDRAWAL);
    boolean overrule = Boolean.TRUE.equals(request.overrule());
    return views.of(changes.withdraw(id, request.reason(), removals.refuse(removal, overrule)));
  }
}
