package tolvin.service.placement;

import jakarta.enterprise.context.ApplicationScoped;
import jakarta.transaction.Transactional;
import tolvin.api.placement.PlacementView;
import tolvin.service.record.account.AccountStore;
import tolvin.service.record.destination.DestinationStore;
import tolvin.service.record.key.KeyRow;
import tolvin.service.record.key.KeyStore;
import tolvin.service.record.placement.PlacementRow;

/** Shows placements. */
@ApplicationScoped
public class PlacementViews {
  private final KeyStore keys;
  private final AccountStore accounts;
  private final DestinationStore destinations;

  PlacementViews(KeyStore keys, AccountStore accounts, DestinationStore destinations) {
    this.keys = keys;
    this.accounts = accounts;
    this.destinations = destinations;
  }

  /** A placement with the names of its key and its account. */
  @Transactional
  public PlacementView of(PlacementRow row) {
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
