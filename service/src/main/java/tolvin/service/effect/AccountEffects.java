package tolvin.service.effect;

import static tolvin.service.store.Transactions.inNewTransaction;

import io.quarkus.narayana.jta.QuarkusTransaction;
import jakarta.enterprise.context.ApplicationScoped;
import java.time.Duration;
import java.time.Instant;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.UUID;
import java.util.concurrent.TimeUnit;
import tolvin.connectors.sheet.SheetStates;
import tolvin.core.estate.AccountId;
import tolvin.core.estate.Management;
import tolvin.core.estate.PlacementState;
import tolvin.core.estate.Registered;
import tolvin.core.estate.SignInMode;
import tolvin.core.key.Fingerprint;
import tolvin.core.pair.SecretPair;
import tolvin.core.port.AccountPort;
import tolvin.core.port.Lease;
import tolvin.core.port.Login;
import tolvin.core.port.Place;
import tolvin.core.port.PortException;
import tolvin.core.port.PortException.Kind;
import tolvin.core.port.TrialPort;
import tolvin.core.port.UsePort;
import tolvin.core.rotation.Effect;
import tolvin.core.word.Words;
import tolvin.service.account.Readings;
import tolvin.service.destination.Access;
import tolvin.service.handover.ByHand;
import tolvin.service.journal.Journal;
import tolvin.service.placement.Placements;
import tolvin.service.record.account.AccountRow;
import tolvin.service.record.account.AccountStore;
import tolvin.service.record.destination.DestinationRow;
import tolvin.service.record.destination.DestinationStore;
import tolvin.service.record.key.KeyRow;
import tolvin.service.record.key.KeyStore;
import tolvin.service.record.placement.PlacementRow;
import tolvin.service.record.placement.PlacementStore;
import tolvin.service.record.placement.Terms;
import tolvin.service.record.placement.TrialRow;
import tolvin.service.store.ClockStore;

/** Effects on accounts: looking, placing, proving by Tolvin's own sign-in, withdrawing. */
@ApplicationScoped
class AccountEffects {
  /** How long Tolvin's own sign-in may take to show up where a destination tells of uses. */
  private static final Duration SHOWS_WITHIN = Duration.ofSeconds(8);

  /** How far a measured clock may be off, and a log behind. */
  private static final Duration LAG = Duration.ofSeconds(2);

  private final AccountPort port;
  private final TrialPort trials;
  private final UsePort uses;
  private final Access access;
  private final PairEffects pairs;
  private final KeyStore keys;
  private final AccountStore accounts;
  private final DestinationStore destinations;
  private final PlacementStore placements;
  private final Placements newPlacements;
  private final SheetStates states;
  private final Readings readings;
  private final ByHand byHand;
  private final EffectJournal effectJournal;
  private final Journal journal;
  private final ClockStore clock;

  AccountEffects(
      AccountPort port,
      TrialPort trials,
      UsePort uses,
      Access access,
      PairEffects pairs,
      KeyStore keys,
      AccountStore accounts,
      DestinationStore destinations,
      PlacementStore placements,
      Placements newPlacements,
      SheetStates states,
      Readings readings,
      ByHand byHand,
      EffectJournal effectJournal,
      Journal journal,
      ClockStore clock) {
    this.port = port;
    this.trials = trials;
    this.uses = uses;
    this.access = access;
    this.pairs = pairs;
    this.keys = keys;
    this.accounts = accounts;
    this.destinations = destinations;
    this.placements = placements;
    this.newPlacements = newPlacements;
    this.states = states;
    this.readings = readings;
    this.byHand = byHand;
    this.effectJournal = effectJournal;
    this.journal = journal;
    this.clock = clock;
  }

  /** How an account comes to hold a key, or not to hold it any more; returns what it holds then. */
  private interface Way {
    List<Registered> place(AccountPort.Entry entry) throws PortException;

    List<Registered> withdraw(AccountPort.Entry entry) throws PortException;
  }

  /** Tolvin writes there itself. */
  private record Directly(AccountPort port, Place where, Lease lease) implements Way {
    @Override
    public List<Registered> place(AccountPort.Entry entry) throws PortException {
      return port.place(where, entry, lease);
    }

    @Override
    public List<Registered> withdraw(AccountPort.Entry entry) throws PortException {
      return port.withdraw(where, entry, lease);
    }
  }

  /** Another source rewrites it: its keeper is asked, and what stands there is read. */
  private record ThroughSource(AccountPort port, Place where, ByHand byHand, UUID account)
      implements Way {
    @Override
    public List<Registered> place(AccountPort.Entry entry) throws PortException {
      return byHand.throughSource(account, entry.key().fingerprint(), true, port.read(where));
    }

    @Override
    public List<Registered> withdraw(AccountPort.Entry entry) throws PortException {
      return byHand.throughSource(account, entry.key().fingerprint(), false, port.read(where));
    }
  }

  /** Only a partner can change it: they are asked, and sign-ins tell whether they did. */
  private record ThroughPartner(ByHand byHand, UUID account, Instant begun) implements Way {
    @Override
    public List<Registered> place(AccountPort.Entry entry) throws PortException {
      return byHand.register(account, entry.key().fingerprint(), begun);
    }

    @Override
    public List<Registered> withdraw(AccountPort.Entry entry) throws PortException {
      return byHand.takeOut(account, entry.key().fingerprint(), begun);
    }
  }

  private Way way(AccountId account, Place where, Lease lease, Instant begun) {
    if (where instanceof Place.ByHand) {
      return new ThroughPartner(byHand, account.value(), begun);
    }
    return inNewTransaction(
            () -> accounts.get(account.value()).managedBy == Management.ANOTHER_SOURCE)
        ? new ThroughSource(port, where, byHand, account.value())
        : new Directly(port, where, lease);
  }

  EffectHandlers.Recording look(Effect.LookAtAccount effect) throws PortException {
    UUID account = effect.account().value();
    Place where = where(effect.account());
    if (where instanceof Place.ByHand) {
      List<Registered> known = byHand.known(account);
      return () -> readings.record(account, known);
    }
    List<Registered> found = port.read(where);
    Optional<SignInMode> mode =
        where instanceof Place.OnSystem system
            ? Optional.ofNullable(states.read(system).get("sign-in-mode"))
                .flatMap(word -> Words.read(SignInMode.class, word))
            : Optional.empty();
    return () -> {
      readings.record(account, found);
      mode.ifPresent(m -> accounts.lock(account).signInMode = m);
    };
  }

  /** The placement is on record before anything is placed. */
  void beforePlacing(Effects.Job job, Effect.Place effect) {
    KeyRow row = keys.known(effect.key());
    UUID account = effect.account().value();
    if (placements.live(row.id, account).isEmpty()) {
      Optional<PlacementRow> former =
          placements.everOfKeys(List.of(row.id)).stream()
              .filter(p -> p.accountId.equals(account))
              .reduce((a, b) -> b);
      former.ifPresent(p -> p.lostAt = null);
      newPlacements.want(
          row,
          accounts.get(account),
          job.rotation(),
          former.map(Terms::of).orElseGet(() -> Terms.signIn(row.comment)));
    }
  }

  EffectHandlers.Recording place(Effects.Job job, Effect.Place effect, Lease lease, Instant begun)
      throws PortException {
    AccountPort.Entry entry =
        inNewTransaction(() -> newPlacements.entry(placement(effect.account(), effect.key())));
    Place where = where(effect.account());
    List<Registered> after = way(effect.account(), where, lease, begun).place(entry);
    String said = port.said(where);
    return () -> {
      PlacementRow row = placement(effect.account(), effect.key());
      readings.record(row.accountId, after);
      if (!said.isEmpty()) {
        journal.write("placement.answered", row.id, where.name() + " said: " + said, Map.of());
      }
      effectJournal.tell("placement.placed", job, row.id);
    };
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
            "Look at what the server says about it; it is tried again by itself.");
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
      List<Registered> found = port.read(where(effect.account()));
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

  /** That it goes is on record before it is taken out. */
  void beforeWithdrawing(Effects.Job job, Effect.Withdraw effect) {
    accounts.lock(effect.account().value()); // other doors look at what goes under the same lock
    PlacementRow row = placement(effect.account(), effect.key());
    row.state = PlacementState.WITHDRAWING;
    row.rotationId = job.rotation() == null ? row.rotationId : job.rotation();
  }

  EffectHandlers.Recording withdraw(
      Effects.Job job, Effect.Withdraw effect, Lease lease, Instant begun) throws PortException {
    AccountPort.Entry entry =
        inNewTransaction(() -> newPlacements.entry(placement(effect.account(), effect.key())));
    if (!entry.line().equals(effect.line())) {
      throw new PortException(
          Kind.CHANGED_MEANWHILE,
          "The placement was made anew meanwhile.",
          "It is looked at again.");
    }
    Place where = where(effect.account());
    List<Registered> after = way(effect.account(), where, lease, begun).withdraw(entry);
    return () -> {
      PlacementRow row = placement(effect.account(), effect.key());
      readings.record(row.accountId, after);
      effectJournal.tell("placement.withdrawn", job, row.id);
    };
  }

  private PlacementRow placement(AccountId account, Fingerprint key) {
    return placements.known(keys.known(key).id, account.value());
  }

  private Place where(AccountId account) {
    return inNewTransaction(() -> access.account(accounts.get(account.value())));
  }
}
