package tolvin.service.rotation;

import static tolvin.service.store.Transactions.inside;

import io.quarkus.narayana.jta.QuarkusTransaction;
import jakarta.enterprise.context.ApplicationScoped;
import java.time.Duration;
import java.time.Instant;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.UUID;
import java.util.concurrent.TimeUnit;
import java.util.function.Function;
import java.util.stream.Stream;
import tolvin.connectors.sheet.SheetStates;
import tolvin.core.estate.AccountId;
import tolvin.core.estate.Registered;
import tolvin.core.estate.SeatId;
import tolvin.core.key.Fingerprint;
import tolvin.core.key.PublicKey;
import tolvin.core.pair.OpenSshFile;
import tolvin.core.pair.SecretPair;
import tolvin.core.port.AccountPort;
import tolvin.core.port.CommandPort;
import tolvin.core.port.Lease;
import tolvin.core.port.Login;
import tolvin.core.port.Place;
import tolvin.core.port.PortException;
import tolvin.core.port.PortException.Kind;
import tolvin.core.port.SeatPort;
import tolvin.core.port.TrialPort;
import tolvin.core.port.UsePort;
import tolvin.core.rotation.Effect;
import tolvin.core.sheet.Ability;
import tolvin.core.sheet.SystemSheet.AccountKind;
import tolvin.service.coffer.Coffer;
import tolvin.service.destination.Access;
import tolvin.service.destination.AccountRow;
import tolvin.service.destination.AccountStore;
import tolvin.service.destination.DestinationRow;
import tolvin.service.destination.DestinationStore;
import tolvin.service.handover.ByHand;
import tolvin.service.identity.IdentityStore;
import tolvin.service.integration.SeatRow;
import tolvin.service.integration.SeatStore;
import tolvin.service.integration.SeatTrialRow;
import tolvin.service.integration.TieRow;
import tolvin.service.journal.Journal;
import tolvin.service.key.KeyRow;
import tolvin.service.key.KeyStore;
import tolvin.service.key.Keys;
import tolvin.service.key.MadeKeys;
import tolvin.service.placement.PlacementRow;
import tolvin.service.placement.PlacementStore;
import tolvin.service.placement.Placements;
import tolvin.service.placement.Readings;
import tolvin.service.placement.Terms;
import tolvin.service.placement.TrialRow;
import tolvin.service.store.ClockStore;

/** What each effect is in the world, and what is recorded of it. */
@ApplicationScoped
class Outside {
  private static final Set<String> MODES = Set.of("password", "key", "either", "both");

  /** How long Tolvin's own sign-in may take to show up where a destination tells of uses. */
  private static final Duration SHOWS_WITHIN = Duration.ofSeconds(8);

  /** How far a measured clock may be off, and a log behind. */
  private static final Duration LAG = Duration.ofSeconds(2);

  private final AccountPort accountPort;
  private final SeatPort seatPort;
  private final TrialPort trialPort;
  private final UsePort usePort;
  private final CommandPort commands;
  private final Access access;
  private final Coffer coffer;
  private final RotationStore rotations;
  private final KeyStore keys;
  private final Keys newKeys;
  private final MadeKeys madeKeys;
  private final IdentityStore identities;
  private final AccountStore accounts;
  private final DestinationStore destinations;
  private final SeatStore seats;
  private final PlacementStore placements;
  private final Placements newPlacements;
  private final SheetStates states;
  private final Readings readings;
  private final ByHand byHand;
  private final Journal journal;
  private final ClockStore clock;

  Outside(
      AccountPort accountPort,
      SeatPort seatPort,
      TrialPort trialPort,
      UsePort usePort,
      CommandPort commands,
      Access access,
      Coffer coffer,
      RotationStore rotations,
      KeyStore keys,
      Keys newKeys,
      MadeKeys madeKeys,
      IdentityStore identities,
      AccountStore accounts,
      DestinationStore destinations,
      SeatStore seats,
      PlacementStore placements,
      Placements newPlacements,
      SheetStates states,
      Readings readings,
      ByHand byHand,
      Journal journal,
      ClockStore clock) {
    this.accountPort = accountPort;
    this.seatPort = seatPort;
    this.trialPort = trialPort;
    this.usePort = usePort;
    this.commands = commands;
    this.access = access;
    this.coffer = coffer;
    this.rotations = rotations;
    this.keys = keys;
    this.newKeys = newKeys;
    this.madeKeys = madeKeys;
    this.identities = identities;
    this.accounts = accounts;
    this.destinations = destinations;
    this.seats = seats;
    this.placements = placements;
    this.newPlacements = newPlacements;
    this.states = states;
    this.readings = readings;
    this.byHand = byHand;
    this.journal = journal;
    this.clock = clock;
  }

  /** What is recorded when the effect was done and read back; runs in a transaction. */
  @FunctionalInterface
  interface Recording {
    void record();
  }

  /** What has to be on record before the effect; runs in the attempt's transaction. */
  void prepare(Effects.Job job, Effect effect) {
    if (effect instanceof Effect.Place place) {
      placementOf(job, place.account(), place.key());
    } else if (effect instanceof Effect.Supply supply) {
      SeatRow seat = seats.lock(supply.seat().value());
      seat.everOffered = union(seat.everOffered, List.of(supply.key().value()));
    } else if (effect instanceof Effect.Withdraw withdraw) {
      placement(withdraw.account(), withdraw.key()).state = "withdrawing";
    }
  }

  /** Does it, outside of any transaction. */
  Recording perform(Effects.Job job, Effect effect, Lease lease, Instant begun)
      throws PortException {
    if (effect instanceof Effect.Make) {
      return () -> make(job.rotation());
    }
    if (effect instanceof Effect.LookAtAccount look) {
      Place where = place(look.account());
      if (where instanceof Place.ByHand) {
        List<Registered> known = byHand.known(look.account().value());
        return () -> record(look.account(), known);
      }
      List<Registered> found = accountPort.read(where);
      Optional<String> mode =
          where instanceof Place.OnSystem system
              ? Optional.ofNullable(states.read(system).get("sign-in-mode")).filter(MODES::contains)
              : Optional.empty();
      return () -> {
        record(look.account(), found);
        mode.ifPresent(m -> accounts.lock(look.account().value()).signInMode = m);
      };
    }
    if (effect instanceof Effect.LookAtSeat look) {
      List<SeatPort.Holding> found = held(look.seat());
      return () -> record(look.seat(), found);
    }
    if (effect instanceof Effect.Place place) {
      return place(job, place, lease, begun);
    }
    if (effect instanceof Effect.Prove prove) {
      return prove(job, prove, begun);
    }
    if (effect instanceof Effect.Supply supply) {
      return supply(job, supply, lease);
    }
    if (effect instanceof Effect.Withdraw withdraw) {
      AccountPort.Entry entry =
          inside(() -> newPlacements.entry(placement(withdraw.account(), withdraw.key())));
      if (!entry.line().equals(withdraw.line())) {
        throw new PortException(
            Kind.CHANGED_MEANWHILE,
            "The placement was made anew meanwhile.",
            "It is looked at again.");
      }
      Place where = place(withdraw.account());
      List<Registered> after =
          where instanceof Place.ByHand
              ? byHand.takeOut(withdraw.account().value(), withdraw.key(), begun)
              : isKeptElsewhere(withdraw.account())
                  ? byHand.throughSource(
                      withdraw.account().value(), withdraw.key(), false, accountPort.read(where))
                  : accountPort.withdraw(where, entry, lease);
      return () -> withdrawn(job, withdraw, after);
    }
    if (effect instanceof Effect.TakeEffect told) {
      SeatRow seat = inside(() -> seats.get(told.seat().value()));
      Place.OverSsh where = (Place.OverSsh) place(told.seat());
      lease.check();
      commands.run(where.login(), seat.effectCommand);
      return () -> {
        seats.lock(seat.id).effectAt = clock.now();
        journal("seat.told", job, seat.id);
      };
    }
    if (effect instanceof Effect.TrySeat tried) {
      return trySeat(job, tried, begun);
    }
    if (effect instanceof Effect.Clear clear) {
      List<SeatPort.Holding> after = cleared(clear, lease);
      return () -> {
        record(clear.seat(), after);
        journal("seat.cleared", job, clear.seat().value());
      };
    }
    Effect.Destroy destroy = (Effect.Destroy) effect;
    return () -> {
      coffer.destroy(Coffer.PRIVATE_HALF, row(destroy.key()).id);
      journal("coffer.destroyed", job, row(destroy.key()).id);
    };
  }

  /** The private half is committed before its public half is placed anywhere. */
  private void make(UUID rotationId) {
    RotationRow rotation = rotations.lock(rotationId);
    if (rotation.newKeyId != null) {
      return;
    }
    KeyRow old = keys.get(rotation.oldKeyId);
    String owner = identities.find(old.identityId).map(i -> i.name).orElse("nobody");
    Instant now = clock.now();
    String comment = madeKeys.comment(owner, now);
    List<Ability> abilities =
        placements.liveOfKeys(List.of(old.id)).stream()
            .flatMap(p -> access.kind(accounts.get(p.accountId)).stream())
            .map(AccountKind::ability)
            .toList();
    try (SecretPair pair = Ability.pairFor(abilities, clock.random())) {
      KeyRow made = newKeys.add(pair.key(), comment, old.identityId, "coffer", now);
      keys.flush();
      coffer.keep(Coffer.PRIVATE_HALF, made.id, pair);
      rotation.newKeyId = made.id;
      for (PlacementRow placed : placements.liveOfKeys(List.of(old.id))) {
        newPlacements.want(made, accounts.get(placed.accountId), rotationId, Terms.of(placed));
      }
      journal.write(
          "key.made",
          made.id,
          "New pair " + made.fingerprint + " made in the coffer for " + owner,
          Map.of("rotation", rotationId.toString(), "replaces", old.fingerprint));
    }
  }

  private Recording place(Effects.Job job, Effect.Place effect, Lease lease, Instant begun)
      throws PortException {
    AccountPort.Entry entry =
        inside(() -> newPlacements.entry(placement(effect.account(), effect.key())));
    Place where = place(effect.account());
    List<Registered> after =
        where instanceof Place.ByHand
            ? byHand.register(effect.account().value(), effect.key(), begun)
            : isKeptElsewhere(effect.account())
                ? byHand.throughSource(
                    effect.account().value(), effect.key(), true, accountPort.read(where))
                : accountPort.place(where, entry, lease);
    String said = accountPort.said(where);
    return () -> {
      PlacementRow row = placement(effect.account(), effect.key());
      record(effect.account(), after);
      if (!said.isEmpty()) {
        journal.write("placement.answered", row.id, where.name() + " said: " + said, Map.of());
      }
      journal("placement.placed", job, row.id);
    };
  }

  private Recording prove(Effects.Job job, Effect.Prove effect, Instant begun)
      throws PortException {
    UUID keyId = inside(() -> row(effect.key()).id);
    AccountRow account = inside(() -> accounts.get(effect.account().value()));
    DestinationRow at = inside(() -> destinations.get(account.destinationId));
    try (SecretPair pair = take(effect.key(), keyId)) {
      String reference =
          inside(() -> placements.live(keyId, account.id).map(p -> p.reference).orElse(""));
      TrialPort.Trial trial = trialPort.attempt(access.attempt(account, reference, pair));
      if (!trial.accepted()) {
        String answer = explained(trial, at, account);
        QuarkusTransaction.requiringNew()
            .run(() -> addTrial(account.id, keyId, begun, trial, answer));
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
        addTrial(account.id, keyId, begun, trial, trial.answer());
        shown.ifPresent(found -> record(effect.account(), found));
        placements
            .live(keyId, account.id)
            .filter(p -> p.state.equals("placed"))
            .ifPresent(
                p -> {
                  p.provenAt = clock.now();
                  p.state = "proven";
                });
        journal("placement.account-proof", job, account.id);
      };
    }
  }

  /**
   * Where a destination tells of the last use of each key, Tolvin's own sign-in has to show up
   * there; what was read last is recorded, whether it did or not.
   */
  private Optional<List<Registered>> shownUse(
      Effect.Prove effect, AccountRow account, Instant begun) throws PortException {
    Optional<Duration> exact =
        inside(() -> access.kind(account)).flatMap(kind -> kind.ability().reportsUse());
    if (exact.isEmpty()) {
      return Optional.empty();
    }
    long deadline = System.nanoTime() + SHOWS_WITHIN.toNanos();
    while (true) {
      List<Registered> found = accountPort.read(place(effect.account()));
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

  /** The seat signs in itself; what it says of it is kept, whether it went well or not. */
  private Recording trySeat(Effects.Job job, Effect.TrySeat effect, Instant begun)
      throws PortException {
    SeatPort.Tried tried = seatPort.trial(place(effect.seat()), effect.key());
    Recording kept =
        () -> {
          SeatTrialRow row = new SeatTrialRow();
          row.id = clock.id(begun);
          row.tieId = effect.tie().value();
          row.fingerprint = effect.key().value();
          row.madeAt = begun;
          row.accepted = tried.accepted();
          row.log = tried.log();
          seats.addTrial(row);
        };
    if (!tried.accepted()) {
      QuarkusTransaction.requiringNew().run(kept::record);
      throw new PortException(
          Kind.SIGN_IN_REFUSED,
          inside(() -> seats.get(effect.seat().value()).path)
              + " could not sign in with "
              + effect.key().brief()
              + ": "
              + tried.log(),
          "It is tried again by itself; the old key is still in place.");
    }
    return () -> {
      kept.record();
      for (TieRow tie : seats.tiesOfSeats(List.of(effect.seat().value()))) {
        keys.live(effect.key().value())
            .flatMap(k -> placements.live(k.id, tie.accountId))
            .filter(p -> tie.id.equals(effect.tie().value()) && p.state.equals("placed"))
            .ifPresent(
                p -> {
                  p.provenAt = clock.now();
                  p.state = "proven";
                });
      }
      journal("seat.proof", job, effect.seat().value());
    };
  }

  /** The server's own log often knows more than the client is told. */
  private String explained(TrialPort.Trial trial, DestinationRow at, AccountRow account) {
    if (at.logPath == null || !at.hasFiles()) {
      return trial.answer();
    }
    try {
      Login login =
          access.login(at, at.managementLogin == null ? account.login : at.managementLogin);
      List<String> lines = usePort.about(login, at.logPath, trial.localPort());
      return lines.isEmpty()
          ? trial.answer()
          : trial.answer() + "; the server's log says: " + String.join(" | ", lines);
    } catch (PortException silent) {
      return trial.answer() + "; the server's log cannot be read: " + silent.getMessage();
    }
  }

  private Recording supply(Effects.Job job, Effect.Supply effect, Lease lease)
      throws PortException {
    PublicKey key = inside(() -> Access.key(row(effect.key()).blob));
    UUID keyId = inside(() -> row(effect.key()).id);
    if (isByHand(effect.seat())) {
      SeatPort.Holding supplied = byHand.supply(effect.seat().value(), key.fingerprint());
      return () -> {
        record(effect.seat(), List.of(supplied));
        journal("seat.supplied", job, effect.seat().value());
      };
    }
    List<SeatPort.Holding> held = held(effect.seat());
    int at = fileFor(job, effect, held);
    Place where = places(effect.seat()).get(at);
    List<SeatPort.Holding> after = new ArrayList<>(held);
    if (held.get(at).keeps().filter(key.fingerprint()::equals).isPresent()) {
      after.set(at, seatPort.restore(where, key, lease));
    } else {
      String comment = inside(() -> row(effect.key()).comment);
      try (SecretPair pair = take(effect.key(), keyId)) {
        byte[] file = OpenSshFile.write(pair, comment, clock.random());
        try {
          after.set(at, seatPort.supply(where, key, file, lease));
        } finally {
          Arrays.fill(file, (byte) 0);
        }
      }
    }
    return () -> {
      record(effect.seat(), after);
      journal("seat.supplied", job, effect.seat().value());
    };
  }

  /**
   * Which of a seat's files a key goes into: the one that has it already, else the one with the key
   * that it replaces, so that what else the seat offers stays in its place.
   */
  private int fileFor(Effects.Job job, Effect.Supply effect, List<SeatPort.Holding> held)
      throws PortException {
    Fingerprint replaced = inside(() -> otherOf(job.rotation(), effect.key()));
    for (int i = 0; i < held.size(); i++) {
      SeatPort.Holding file = held.get(i);
      if (Stream.of(file.offers(), file.keeps())
              .anyMatch(k -> k.filter(effect.key()::equals).isPresent())
          || file.offers().filter(replaced::equals).isPresent()) {
        return i;
      }
    }
    if (held.size() == 1) {
      return 0;
    }
    throw new PortException(
        Kind.CHANGED_MEANWHILE,
        "None of the seat's files holds " + replaced + " any more; somebody else changed them.",
        "It is looked at again before anything else is done.");
  }

  /** The other one of a rotation's two keys. */
  private Fingerprint otherOf(UUID rotation, Fingerprint key) {
    RotationRow row = rotations.get(rotation);
    UUID other = row(key).id.equals(row.oldKeyId) ? row.newKeyId : row.oldKeyId;
    return new Fingerprint(keys.get(other).fingerprint);
  }

  private List<SeatPort.Holding> cleared(Effect.Clear effect, Lease lease) throws PortException {
    if (isByHand(effect.seat())) {
      return List.of(
          new SeatPort.Holding(byHand.holding(effect.seat().value()).offers(), Optional.empty()));
    }
    List<SeatPort.Holding> held = new ArrayList<>(held(effect.seat()));
    List<Place> places = places(effect.seat());
    for (int i = 0; i < held.size(); i++) {
      if (held.get(i).keeps().filter(effect.key()::equals).isPresent()) {
        held.set(i, seatPort.clear(places.get(i), key(effect.key()), lease));
      }
    }
    return held;
  }

  private SecretPair take(Fingerprint key, UUID keyId) throws PortException {
    PublicKey open = key(key);
    return coffer
        .take(Coffer.PRIVATE_HALF, keyId, open)
        .orElseThrow(
            () ->
                new PortException(
                    Kind.NOT_ALLOWED,
                    "The coffer does not hold the private half of " + key + ".",
                    "Its holder has to supply it by hand."));
  }

  private void withdrawn(Effects.Job job, Effect.Withdraw effect, List<Registered> after) {
    PlacementRow row = placement(effect.account(), effect.key());
    record(effect.account(), after);
    journal("placement.withdrawn", job, row.id);
  }

  private void record(AccountId id, List<Registered> found) {
    readings.record(id.value(), found);
  }

  /** Keeps what the files of a seat hold, in the order in which its client offers it. */
  private void record(SeatId id, List<SeatPort.Holding> found) {
    SeatRow row = seats.lock(id.value());
    List<String> offers = fingerprints(found, SeatPort.Holding::offers);
    Instant now = clock.now();
    boolean firstReading = row.readAt == null;
    if (!firstReading && !offers.equals(row.offers)) {
      row.offersSince = now;
    }
    row.offers = offers;
    row.keeps = fingerprints(found, SeatPort.Holding::keeps);
    row.everOffered = union(row.everOffered, offers);
    row.readAt = now;
  }

  private void addTrial(
      UUID account, UUID key, Instant begun, TrialPort.Trial trial, String answer) {
    TrialRow row = new TrialRow();
    row.id = clock.id(begun);
    row.accountId = account;
    row.keyId = key;
    row.madeAt = begun;
    row.accepted = trial.accepted();
    row.answer = answer;
    row.localPort = trial.localPort();
    placements.addTrial(row);
  }

  private void journal(String deed, Effects.Job job, UUID subject) {
    journal.write(
        deed,
        subject,
        job.sentence(),
        job.rotation() == null ? Map.of() : Map.of("rotation", job.rotation().toString()));
    if (job.rotation() != null) {
      journal.tell("rotation.moved", job.rotation(), job.sentence());
    }
  }

  private void placementOf(Effects.Job job, AccountId account, Fingerprint key) {
    KeyRow row = row(key);
    if (placements.live(row.id, account.value()).isEmpty()) {
      Optional<PlacementRow> former =
          placements.everOfKeys(List.of(row.id)).stream()
              .filter(p -> p.accountId.equals(account.value()))
              .findFirst();
      newPlacements.want(
          row,
          accounts.get(account.value()),
          job.rotation(),
          former.map(Terms::of).orElseGet(() -> Terms.signIn(row.comment)));
    }
  }

  private PlacementRow placement(AccountId account, Fingerprint key) {
    return placements
        .live(row(key).id, account.value())
        .orElseThrow(() -> new IllegalStateException("no live placement of " + key));
  }

  private KeyRow row(Fingerprint key) {
    return keys.ever(key.value()).stream()
        .reduce((a, b) -> b)
        .orElseThrow(() -> new IllegalStateException("unknown key " + key));
  }

  private PublicKey key(Fingerprint key) {
    return inside(() -> Access.key(row(key).blob));
  }

  private static List<String> fingerprints(
      List<SeatPort.Holding> found, Function<SeatPort.Holding, Optional<Fingerprint>> which) {
    return found.stream()
        .flatMap(holding -> which.apply(holding).stream())
        .map(Fingerprint::value)
        .distinct()
        .toList();
  }

  /** What each file of a seat holds, the one that its client offers first at the head. */
  private List<SeatPort.Holding> held(SeatId id) throws PortException {
    if (isByHand(id)) {
      return List.of(byHand.holding(id.value()));
    }
    List<SeatPort.Holding> held = new ArrayList<>();
    for (Place file : places(id)) {
      held.add(seatPort.read(file));
    }
    return held;
  }

  /** What another source rewrites is changed through that source and nowhere else. */
  private boolean isKeptElsewhere(AccountId account) {
    return inside(() -> accounts.get(account.value()).keptBy.equals("source"));
  }

  private boolean isByHand(SeatId seat) {
    return inside(() -> seats.get(seat.value()).destinationId == null);
  }

  private Place place(AccountId account) {
    return inside(() -> access.account(accounts.get(account.value())));
  }

  private Place place(SeatId seat) {
    return places(seat).get(0);
  }

  private List<Place> places(SeatId seat) {
    return inside(
        () -> {
          SeatRow row = seats.get(seat.value());
          return Stream.concat(Stream.of(row.path), row.morePaths.stream())
              .map(path -> access.seat(row.destinationId, row.kind, row.login, path))
              .toList();
        });
  }

  private static List<String> union(List<String> one, List<String> other) {
    Set<String> all = new LinkedHashSet<>(one);
    all.addAll(other);
    return new ArrayList<>(all);
  }
}
