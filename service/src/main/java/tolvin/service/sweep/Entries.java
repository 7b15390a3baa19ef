package tolvin.service.sweep;

import static tolvin.service.store.Transactions.inNewTransaction;

import jakarta.enterprise.context.ApplicationScoped;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import tolvin.core.authorized.Reach;
import tolvin.core.estate.Registered;
import tolvin.core.key.Fingerprint;
import tolvin.core.port.AccountPort;
import tolvin.core.port.Lease;
import tolvin.core.port.Place;
import tolvin.core.port.PortException;
import tolvin.service.destination.Access;
import tolvin.service.effect.Edits;
import tolvin.service.placement.Placements;
import tolvin.service.problem.Problem;
import tolvin.service.record.account.AccountRow;
import tolvin.service.record.account.AccountStore;
import tolvin.service.record.destination.DestinationStore;
import tolvin.service.record.key.KeyStore;
import tolvin.service.record.placement.PlacementRow;
import tolvin.service.record.placement.PlacementStore;
import tolvin.service.record.sweep.FindingRow;

/** The entries of one key on one account, where they are too many or not as agreed. */
@ApplicationScoped
class Entries {
  private final AccountStore accounts;
  private final DestinationStore destinations;
  private final KeyStore keys;
  private final PlacementStore placements;
  private final Placements newPlacements;
  private final Adoption adoption;
  private final AccountPort accountPort;
  private final Access access;
  private final Edits edits;

  Entries(
      AccountStore accounts,
      DestinationStore destinations,
      KeyStore keys,
      PlacementStore placements,
      Placements newPlacements,
      Adoption adoption,
      AccountPort accountPort,
      Access access,
      Edits edits) {
    this.accounts = accounts;
    this.destinations = destinations;
    this.keys = keys;
    this.placements = placements;
    this.newPlacements = newPlacements;
    this.adoption = adoption;
    this.accountPort = accountPort;
    this.access = access;
    this.edits = edits;
  }

  /**
   * Outside of any transaction: leaves one entry of a key, the agreed one or else the one that lets
   * in most, in the place of all that stand there; in one change, so that the key is registered at
   * every moment.
   */
  void leaveOne(FindingRow row) throws PortException {
    AccountRow account = inNewTransaction(() -> accounts.get(row.accountId));
    List<String> there = of(account, row.fingerprint);
    Optional<PlacementRow> placement = inNewTransaction(() -> placed(row));
    if (placement.isEmpty() && there.isEmpty()) {
      throw Problem.conflict("gone", "It does not stand there any more.", "Sweep again.");
    }
    AccountPort.Entry entry =
        placement.isPresent()
            ? inNewTransaction(() -> newPlacements.entry(placement.get()))
            : adoption.entry(Reach.widest(there).orElse(there.get(0)));
    Place where = inNewTransaction(() -> access.account(account));
    edits.edit(
        account.id,
        "Leave one entry of "
            + new Fingerprint(row.fingerprint).brief()
            + " on "
            + inNewTransaction(() -> destinations.nameOf(account)),
        lease -> {
          if (where instanceof Place.OnSystem) {
            return withdrawn(where, there, entry, lease);
          }
          return accountPort.replace(where, there, entry, lease);
        });
  }

  /**
   * Where nothing can be replaced in one step, the others go one by one beside the one that stays.
   */
  private List<Registered> withdrawn(
      Place where, List<String> there, AccountPort.Entry stays, Lease lease) throws PortException {
    if (!there.contains(stays.line())) {
      return accountPort.replace(where, there, stays, lease); // says that it cannot
    }
    List<Registered> after = accountPort.read(where);
    for (String line : there.stream().distinct().toList()) {
      if (!line.equals(stays.line())) {
        after = accountPort.withdraw(where, adoption.entry(line), lease);
      }
    }
    return after;
  }

  /** Whether entries of a finding's key stand beside the agreed one, or beside the first. */
  boolean areSeveral(FindingRow row) {
    List<String> lines = new ArrayList<>(of(accounts.get(row.accountId), row.fingerprint));
    lines.remove(placed(row).map(p -> p.line).orElse(lines.isEmpty() ? "" : lines.get(0)));
    return !lines.isEmpty();
  }

  /** Which entry would stay, in words. */
  String staying(FindingRow row) {
    List<String> there = of(accounts.get(row.accountId), row.fingerprint);
    return placed(row).isPresent()
        ? "the agreed one."
        : Reach.widest(there).isPresent()
            ? "the one that lets in all that the others let in: " + Reach.widest(there).get()
            : "the first one: " + (there.isEmpty() ? "" : there.get(0));
  }

  /** Why one entry cannot stand for all of a key's on its account; empty if it can. */
  Optional<String> loss(FindingRow row) {
    List<String> there = of(accounts.get(row.accountId), row.fingerprint);
    Optional<String> agreed = placed(row).map(p -> p.line);
    boolean loses =
        agreed.isPresent()
            ? there.stream()
                .flatMap(line -> Reach.of(line).stream())
                .anyMatch(r -> Reach.of(agreed.get()).filter(a -> a.covers(r)).isEmpty())
            : Reach.widest(there).isEmpty();
    return loses
        ? Optional.of(
            "The entries let in different things, so that somebody may lose their access: "
                + String.join(" | ", there)
                + ". ")
        : Optional.empty();
  }

  /** The placement of a finding's key on its account. */
  Optional<PlacementRow> placed(FindingRow row) {
    return keys.live(row.fingerprint).flatMap(k -> placements.live(k.id, row.accountId));
  }

  /** The entries of a key on an account, as they were read last. */
  static List<String> of(AccountRow account, String fingerprint) {
    return account.registered.stream()
        .filter(r -> r.key().equals(fingerprint))
        .map(AccountRow.Entry::line)
        .toList();
  }
}
