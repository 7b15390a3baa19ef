package tolvin.service.effect;

import static tolvin.service.store.Transactions.inNewTransaction;

import io.quarkus.narayana.jta.QuarkusTransaction;
import jakarta.enterprise.context.ApplicationScoped;
import java.time.Duration;
import java.time.Instant;
import java.util.List;
import java.util.Optional;
import java.util.UUID;
import java.util.concurrent.TimeUnit;
import tolvin.core.estate.Registered;
import tolvin.core.pair.SecretPair;
import tolvin.core.port.Login;
import tolvin.core.port.PortException;
import tolvin.core.port.PortException.Kind;
import tolvin.core.port.TrialPort;
import tolvin.core.port.UsePort;
import tolvin.core.rotation.Effect;
import tolvin.service.account.Readings;
import tolvin.service.destination.Access;
import tolvin.service.record.account.AccountRow;
import tolvin.service.record.account.AccountStore;
import tolvin.service.record.destination.DestinationRow;
import tolvin.service.record.destination.DestinationStore;
import tolvin.service.record.key.KeyStore;
import tolvin.service.record.placement.PlacementStore;
import tolvin.service.record.placement.TrialRow;
import tolvin.service.store.ClockStore;

/** Tolvin's own sign-ins: made, kept, and found again in what the destination tells. */
@ApplicationScoped
class TrialEffects {
  /** How long Tolvin's own sign-in may take to show up where a destination tells of uses. */
  private static final Duration SHOWS_WITHIN = Duration.ofSeconds(8);

  /** How far a measured clock may be off, and a log behind. */
  private static final Duration LAG = Duration.ofSeconds(2);

  private final AccountWays ways;
  private final TrialPort trials;
  private final UsePort uses;
  private final Access access;
  private final PairEffects pairs;
  private final KeyStore keys;
  private final AccountStore accounts;
  private final DestinationStore destinations;
  private final PlacementStore placements;
  private final Readings readings;
  private final EffectJournal effectJournal;
  private final ClockStore clock;

  TrialEffects(
      AccountWays ways,
      TrialPort trials,
      UsePort uses,
      Access access,
      PairEffects pairs,
      KeyStore keys,
      AccountStore accounts,
      DestinationStore destinations,
      PlacementStore placements,
      Readings readings,
      EffectJournal effectJournal,
      ClockStore clock) {
    this.ways = ways;
    this.trials = trials;
    this.uses = uses;
    this.access = access;
    this.pairs = pairs;
    this.keys = keys;
    this.accounts = accounts;
    this.destinations = destinations;
    this.placements = placements;
    this.readings = readings;
    this.effectJournal = effectJournal;
    this.clock = clock;
  }

  /** Tolvin signs in itself; what came of it is kept, whether it went well or not. */
  EffectHandlers.Recording prove(Effects.Job job, Effect.Prove effect, Instant begun)
      throws PortException {
    UUID keyId = inNewTransaction(() -> keys.known(effect.key()).id);
    AccountRow account = inNewTransaction(() -> accounts.get(effect.account().value()));
    DestinationRow at = inNewTransaction(() -> destinations.get(account.destinationId));
    try (SecretPair pair = pairs.take(effect.key())) {
      String reference =
          inNewTransaction(
              () -> placements.live(keyId, account.id).map(p -> p.reference).orElse(""));
      TrialPort.Trial trial = trials.attempt(access.attempt(account, reference, pair));
      if (!trial.accepted()) {
        String answer = explained(trial, at, account);
        QuarkusTransaction.requiringNew().run(() -> keep(account, keyId, begun, trial, answer));
        throw new PortException(
            Kind.SIGN_IN_REFUSED,
            "Tolvin's own sign-in to "
                + account.login
                + "@"
                + at.name
                + " was refused: "
                + answer
                + ".",
            "Look at what the server says about it.");
      }
      Optional<List<Registered>> shown = shownUse(effect, account, begun);
      return () -> {
        keep(account, keyId, begun, trial, trial.answer());
        shown.ifPresent(found -> readings.record(account.id, found));
        placements.live(keyId, account.id).ifPresent(p -> p.proven(clock.now()));
        effectJournal.tell("placement.account-proof", job, account.id);
      };
    }
  }

  private void keep(
      AccountRow account, UUID key, Instant begun, TrialPort.Trial trial, String answer) {
    placements.addTrial(TrialRow.ofTolvin(clock.id(begun), account.id, key, begun, trial, answer));
  }

  /**
   * Where a destination tells of the last use of each key, Tolvin's own sign-in has to show up
   * there; what was read last is recorded, whether it did or not.
   */
  private Optional<List<Registered>> shownUse(
      Effect.Prove effect, AccountRow account, Instant begun) throws PortException {
    Optional<Duration> exact =
        inNewTransaction(() -> access.kind(account)).flatMap(kind -> kind.ability().reportsUse());
    if (exact.isEmpty()) {
      return Optional.empty();
    }
    long deadline = System.nanoTime() + SHOWS_WITHIN.toNanos();
    while (true) {
      List<Registered> found = ways.read(effect.account()).registered();
      Instant since = begun.minus(exact.get()).minus(LAG);
      boolean there =
          found.stream()
              .filter(r -> r.key().equals(effect.key()))
              .anyMatch(r -> r.details().used().filter(u -> !u.isBefore(since)).isPresent());
      if (there || System.nanoTime() - deadline > 0) {
        return Optional.of(found);
      }
      try {
        TimeUnit.MILLISECONDS.sleep(300);
      } catch (InterruptedException e) {
        Thread.currentThread().interrupt();
        return Optional.of(found);
      }
    }
  }

  /** The server's own log often knows more than the client is told. */
  private String explained(TrialPort.Trial trial, DestinationRow at, AccountRow account) {
    if (at.logPath == null || !at.hasFiles()) {
      return trial.answer();
    }
    try {
      Login login =
          access.login(at, at.managementLogin == null ? account.login : at.managementLogin);
      List<String> lines = uses.about(login, at.logPath, trial.localPort());
      return lines.isEmpty()
          ? trial.answer()
          : trial.answer() + "; the server's log says: " + String.join(" | ", lines);
    } catch (PortException silent) {
      return trial.answer() + "; the server's log cannot be read: " + silent.getMessage();
    }
  }
}
