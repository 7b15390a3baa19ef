package tolvin.service.trial;

import static tolvin.service.store.Transactions.inNewTransaction;

import jakarta.enterprise.context.ApplicationScoped;
import jakarta.transaction.Transactional;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.UUID;
import java.util.stream.Collectors;
import tolvin.core.estate.TrialBy;
import tolvin.core.key.Fingerprint;
import tolvin.service.destination.Access;
import tolvin.service.identity.Owners;
import tolvin.service.journal.Journal;
import tolvin.service.problem.Problem;
import tolvin.service.record.account.AccountRow;
import tolvin.service.record.account.AccountStore;
import tolvin.service.record.destination.DestinationRow;
import tolvin.service.record.destination.DestinationStore;
import tolvin.service.record.key.KeyRow;
import tolvin.service.record.key.KeyStore;
import tolvin.service.record.placement.PlacementStore;
import tolvin.service.record.placement.TrialRow;

/** What trials are about, and what is on record of them. */
@ApplicationScoped
class TrialRecord {
  private final AccountStore accounts;
  private final DestinationStore destinations;
  private final KeyStore keys;
  private final PlacementStore placements;
  private final Access access;
  private final Owners owners;
  private final Journal journal;

  TrialRecord(
      AccountStore accounts,
      DestinationStore destinations,
      KeyStore keys,
      PlacementStore placements,
      Access access,
      Owners owners,
      Journal journal) {
    this.accounts = accounts;
    this.destinations = destinations;
    this.keys = keys;
    this.placements = placements;
    this.access = access;
    this.owners = owners;
    this.journal = journal;
  }

  /** What a trial is about: read once, used outside of transactions. */
  record Scene(AccountRow account, DestinationRow at, Optional<KeyRow> key) {
    String name() {
      return account.login + "@" + at.name;
    }
  }

  /** As whom somebody signs in to it over SSH; empty if nobody does. */
  @Transactional
  Optional<String> sshLogin(Scene scene) {
    return access.sshLogin(scene.account(), reference(scene));
  }

  /** The destination's own reference of the key's placement there; may be empty. */
  @Transactional
  String reference(Scene scene) {
    return scene
        .key()
        .flatMap(key -> placements.live(key.id, scene.account().id))
        .map(placement -> placement.reference)
        .orElse("");
  }

  /** Reads what a trial is about. */
  Scene scene(UUID accountId, UUID keyId) {
    return inNewTransaction(
        () -> {
          AccountRow account = accounts.get(accountId);
          return new Scene(
              account,
              destinations.get(account.destinationId),
              Optional.ofNullable(keyId).map(keys::get));
        });
  }

  /**
   * What a trial is about, where nobody named the key: the one on record among those that were
   * offered.
   */
  Scene scene(UUID accountId, Set<Fingerprint> offered) {
    return inNewTransaction(
        () -> {
          List<KeyRow> known =
              keys
                  .everAmong(offered.stream().map(Fingerprint::value).collect(Collectors.toSet()))
                  .stream()
                  .filter(key -> key.endedAt == null)
                  .toList();
          return scene(accountId, known.size() == 1 ? known.get(0).id : null);
        });
  }

  /** Writes what came of one. */
  void said(TrialRow row, Scene scene) {
    String by = row.madeBy == TrialBy.HOLDER ? "A holder's sign-in to " : "Tolvin's sign-in to ";
    String why =
        row.explanation == null || row.explanation.causes().isEmpty()
            ? ""
            : ": " + row.explanation.causes().get(0).sentence();
    journal.write(
        "trial.seen",
        row.accountId,
        by + scene.name() + (row.accepted ? " succeeded" : " failed" + why),
        Map.of("signed", row.signed, "way", row.way));
  }

  /** The trials on an account or with a key, the newest first. */
  @Transactional
  List<TrialRow> list(UUID account, UUID key) {
    return placements.trialsSeen(account, key, 50);
  }

  /** One trial. */
  @Transactional
  TrialRow trial(UUID id) {
    return placements.trial(id);
  }

  /**
   * Somebody who is no administrator may try their own accounts, and their own keys where these
   * stand.
   *
   * @throws Problem if it is neither
   */
  @Transactional
  void demandRight(UUID accountId, UUID keyId) {
    AccountRow account = accounts.get(accountId);
    boolean isPlaced = keyId != null && placements.live(keyId, accountId).isPresent();
    if (keyId != null) {
      owners.demandSight(keys.get(keyId).identityId); // whose key it is, is told to nobody else
    }
    if (!isPlaced) {
      owners.demandSight(account.identityId);
    }
  }

  /** An account's name and a key's fingerprint, for showing. */
  @Transactional
  String name(UUID accountId) {
    return destinations.nameOf(accounts.get(accountId));
  }

  @Transactional
  String fingerprint(UUID keyId) {
    return keyId == null ? null : keys.get(keyId).fingerprint;
  }
}
