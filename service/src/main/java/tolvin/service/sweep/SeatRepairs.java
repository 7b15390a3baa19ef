package tolvin.service.sweep;

import static tolvin.service.store.Transactions.inNewTransaction;

import jakarta.enterprise.context.ApplicationScoped;
import java.util.List;
import java.util.Optional;
import java.util.UUID;
import tolvin.core.key.Fingerprint;
import tolvin.core.port.PortException;
import tolvin.core.sweep.FindingKind;
import tolvin.service.coffer.Coffer;
import tolvin.service.effect.SeatEdits;
import tolvin.service.problem.Problem;
import tolvin.service.record.account.AccountRow;
import tolvin.service.record.account.AccountStore;
import tolvin.service.record.integration.SeatRow;
import tolvin.service.record.integration.SeatStore;
import tolvin.service.record.key.KeyStore;
import tolvin.service.record.sweep.FindingRow;

/**
 * Mends what readings of seats found: gives a client back a key that its account accepts, from the
 * file kept beside it or from the coffer; or removes a private key that lies about.
 */
@ApplicationScoped
class SeatRepairs {
  private final SeatStore seats;
  private final AccountStore accounts;
  private final KeyStore keys;
  private final Coffer coffer;
  private final SeatEdits edits;

  SeatRepairs(
      SeatStore seats, AccountStore accounts, KeyStore keys, Coffer coffer, SeatEdits edits) {
    this.seats = seats;
    this.accounts = accounts;
    this.keys = keys;
    this.coffer = coffer;
    this.edits = edits;
  }

  /**
   * How a client comes to a key that is accepted.
   *
   * @param key the key that it gets
   * @param kept whether the seat keeps it beside its file; else it comes from the coffer
   */
  private record Way(Fingerprint key, boolean kept) {}

  private static UUID seatOf(FindingRow row) {
    return UUID.fromString(row.subject.substring(0, row.subject.indexOf(' ')));
  }

  /** What correcting it does. */
  String sentence(FindingRow row) {
    SeatRow seat = seats.get(seatOf(row));
    if (row.kind == FindingKind.LEFT_PRIVATE_KEY) {
      return "Removes the private key kept beside " + seat.path + ".";
    }
    Way way = way(seat, row);
    return way.kept()
        ? "Makes " + seat.path + " offer " + way.key().brief() + " again, which it keeps beside."
        : "Supplies " + way.key().brief() + " to " + seat.path + " from the coffer.";
  }

  /** Why it cannot be mended so; empty if it can. */
  Optional<String> obstacle(FindingRow row) {
    if (row.kind == FindingKind.LEFT_PRIVATE_KEY) {
      return Optional.empty();
    }
    try {
      way(seats.get(seatOf(row)), row);
      return Optional.empty();
    } catch (Problem e) {
      return Optional.of(e.getMessage() + " " + e.body().remedy());
    }
  }

  /**
   * Mends it, outside of any transaction.
   *
   * @throws PortException if it could not be done
   */
  void repair(FindingRow row) throws PortException {
    UUID seat = seatOf(row);
    if (row.kind == FindingKind.LEFT_PRIVATE_KEY) {
      edits.clear(seat, new Fingerprint(row.fingerprint));
      return;
    }
    Way way = inNewTransaction(() -> way(seats.get(seat), row));
    if (way.kept()) {
      edits.restore(seat, way.key());
    } else {
      edits.supply(seat, way.key());
    }
  }

  private Way way(SeatRow seat, FindingRow row) {
    AccountRow account = accounts.get(row.accountId);
    List<String> accepted = account.registered.stream().map(AccountRow.Entry::key).toList();
    Optional<Way> kept =
        seat.keeps.stream()
            .filter(accepted::contains)
            .findFirst()
            .map(key -> new Way(new Fingerprint(key), true));
    return kept.or(
            () ->
                accepted.stream()
                    .filter(
                        key ->
                            keys.live(key)
                                .filter(k -> coffer.holds(Coffer.PRIVATE_KEY, k.id))
                                .isPresent())
                    .findFirst()
                    .map(key -> new Way(new Fingerprint(key), false)))
        .orElseThrow(
            () ->
                Problem.conflict(
                    "nothing-to-restore",
                    "Of the keys that "
                        + account.login
                        + " accepts, neither the seat nor the coffer has the private key.",
                    "Put it there by hand, or place a key that the seat offers on the account."));
  }
}
