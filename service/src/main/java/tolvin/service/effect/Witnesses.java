package tolvin.service.effect;

import static tolvin.service.store.Transactions.inNewTransaction;

import jakarta.enterprise.context.ApplicationScoped;
import java.time.Instant;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.List;
import java.util.Optional;
import java.util.UUID;
import java.util.concurrent.TimeUnit;
import org.jboss.logging.Logger;
import tolvin.core.estate.AccountId;
import tolvin.core.estate.Purpose;
import tolvin.core.key.Fingerprint;
import tolvin.core.pair.SecretPair;
import tolvin.core.port.Place;
import tolvin.core.port.PortException;
import tolvin.core.port.TrialPort;
import tolvin.service.coffer.Coffer;
import tolvin.service.destination.Access;
import tolvin.service.record.account.AccountRow;
import tolvin.service.record.account.AccountStore;
import tolvin.service.record.destination.DestinationRow;
import tolvin.service.record.destination.DestinationStore;
import tolvin.service.record.key.KeyRow;
import tolvin.service.record.key.KeyStore;
import tolvin.service.record.placement.PlacementRow;
import tolvin.service.record.placement.PlacementStore;
import tolvin.service.record.placement.TrialRow;
import tolvin.service.store.ClockStore;

/**
 * Keys that worked on an account before another one was placed there, and have to afterwards. Some
 * systems drop a whole file when a second key is added; the client of the first one would be shut
 * out until a person notices.
 */
@ApplicationScoped
class Witnesses {
  private static final Logger LOG = Logger.getLogger(Witnesses.class);
  private static final int MOST_TRIED = 3;

  /** Between two sign-ins that are refused: the system may still be at it. */
  private static final long PAUSE_SECONDS = 1;

  private final TrialPort trials;
  private final Access access;
  private final Coffer coffer;
  private final KeyStore keys;
  private final AccountStore accounts;
  private final DestinationStore destinations;
  private final PlacementStore placements;
  private final ClockStore clock;

  Witnesses(
      TrialPort trials,
      Access access,
      Coffer coffer,
      KeyStore keys,
      AccountStore accounts,
      DestinationStore destinations,
      PlacementStore placements,
      ClockStore clock) {
    this.trials = trials;
    this.access = access;
    this.coffer = coffer;
    this.keys = keys;
    this.accounts = accounts;
    this.destinations = destinations;
    this.placements = placements;
    this.clock = clock;
  }

  /**
   * A key that signs in.
   *
   * @param name what it is called in sentences
   * @param key the key's row, if its private key is in the coffer; else it is Tolvin's own
   * @param reference the destination's own reference of its placement; may be empty
   */
  record Witness(String name, Optional<KeyRow> key, AccountRow account, String reference) {}

  /**
   * A key that signs in to an account now: one of the coffer's that stands there, or Tolvin's own
   * where it signs in as the account itself.
   *
   * @param placed the key that is about to be placed
   * @param where where the account's keys are kept
   * @return empty if Tolvin has none that does
   */
  Optional<Witness> before(AccountId account, Fingerprint placed, Place where) {
    List<Witness> candidates = inNewTransaction(() -> candidates(account.value(), placed, where));
    return candidates.stream()
        .limit(MOST_TRIED)
        .filter(witness -> tried(witness).filter(TrialPort.Trial::accepted).isPresent())
        .findFirst();
  }

  /**
   * Why a witness is not let in any more, in the system's words: it is asked twice before that
   * counts.
   *
   * @return empty if it is let in, or if nobody can tell since the system does not answer
   */
  Optional<String> refused(Witness witness) {
    Optional<TrialPort.Trial> first = tried(witness).filter(trial -> !trial.accepted());
    if (first.isEmpty()) {
      return Optional.empty();
    }
    try {
      TimeUnit.SECONDS.sleep(PAUSE_SECONDS);
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
    }
    return tried(witness).filter(trial -> !trial.accepted()).map(TrialPort.Trial::answer);
  }

  /** Signs in with it; empty if that could not be tried. */
  private Optional<TrialPort.Trial> tried(Witness witness) {
    try {
      if (witness.key().isEmpty()) {
        return Optional.of(trials.attempt(inNewTransaction(() -> own(witness.account()))));
      }
      KeyRow key = witness.key().get();
      Optional<SecretPair> taken =
          inNewTransaction(() -> coffer.take(Coffer.PRIVATE_KEY, key.id, Access.key(key.blob)));
      if (taken.isEmpty()) {
        return Optional.empty();
      }
      try (SecretPair pair = taken.get()) {
        Instant begun = inNewTransaction(clock::now);
        TrialPort.Trial trial =
            trials.attempt(access.attempt(witness.account(), witness.reference(), pair));
        return Optional.of(inNewTransaction(() -> kept(witness, key, begun, trial)));
      }
    } catch (PortException silent) {
      LOG.infof("%s could not be tried: %s", witness.name(), silent.getMessage());
      return Optional.empty();
    }
  }

  /** On record, so that it is known for Tolvin's own wherever uses are read. */
  private TrialPort.Trial kept(Witness witness, KeyRow key, Instant begun, TrialPort.Trial trial) {
    placements.addTrial(
        TrialRow.ofTolvin(
            clock.id(begun), witness.account().id, key.id, begun, trial, trial.answer()));
    return trial;
  }

  private TrialPort.Attempt own(AccountRow account) {
    DestinationRow at = destinations.get(account.destinationId);
    return new TrialPort.Attempt(
        TrialPort.Way.SSH, access.login(at, account.login), "", Optional.empty());
  }

  private List<Witness> candidates(UUID accountId, Fingerprint placed, Place where) {
    AccountRow account = accounts.get(accountId);
    List<Witness> candidates = new ArrayList<>();
    placements.liveOnAccounts(List.of(accountId)).stream()
        .filter(row -> row.isThereOnRecord() && row.purpose == Purpose.SIGN_IN)
        .sorted(Comparator.comparing((PlacementRow row) -> row.provenAt == null))
        .forEach(row -> ofCoffer(row, account, placed).ifPresent(candidates::add));
    if (where instanceof Place.OverSsh file && file.login().user().equals(account.login)) {
      candidates.add(new Witness("Tolvin's own key", Optional.empty(), account, ""));
    }
    return candidates;
  }

  private Optional<Witness> ofCoffer(PlacementRow row, AccountRow account, Fingerprint placed) {
    KeyRow key = keys.get(row.keyId);
    return key.fingerprint.equals(placed.value()) || !coffer.holds(Coffer.PRIVATE_KEY, key.id)
        ? Optional.empty()
        : Optional.of(new Witness(key.fingerprint, Optional.of(key), account, row.reference));
  }
}
