package tolvin.service.rotation;

import static tolvin.service.store.Transactions.inside;

import io.quarkus.narayana.jta.QuarkusTransaction;
import jakarta.enterprise.context.ApplicationScoped;
import java.time.Instant;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.UUID;
import tolvin.core.estate.AccountId;
import tolvin.core.estate.Registered;
import tolvin.core.estate.SeatId;
import tolvin.core.key.Fingerprint;
import tolvin.core.key.PublicKey;
import tolvin.core.pair.KeyPairMaker;
import tolvin.core.pair.OpenSshFile;
import tolvin.core.pair.SecretPair;
import tolvin.core.port.AccountPort;
import tolvin.core.port.Lease;
import tolvin.core.port.Login;
import tolvin.core.port.PortException;
import tolvin.core.port.PortException.Kind;
import tolvin.core.port.SeatPort;
import tolvin.core.port.TrialPort;
import tolvin.core.port.UsePort;
import tolvin.core.rotation.Effect;
import tolvin.service.coffer.Coffer;
import tolvin.service.destination.Access;
import tolvin.service.destination.AccountRow;
import tolvin.service.destination.AccountStore;
import tolvin.service.destination.DestinationRow;
import tolvin.service.destination.DestinationStore;
import tolvin.service.identity.IdentityStore;
import tolvin.service.integration.SeatRow;
import tolvin.service.integration.SeatStore;
import tolvin.service.journal.Journal;
import tolvin.service.key.KeyRow;
import tolvin.service.key.KeyStore;
import tolvin.service.key.Keys;
import tolvin.service.key.MadeKeys;
import tolvin.service.placement.Limits;
import tolvin.service.placement.PlacementRow;
import tolvin.service.placement.PlacementStore;
import tolvin.service.placement.Placements;
import tolvin.service.placement.TrialRow;
import tolvin.service.store.ClockStore;

/** What each effect is in the world, and what is recorded of it. */
@ApplicationScoped
class Outside {
  private final AccountPort accountPort;
  private final SeatPort seatPort;
  private final TrialPort trialPort;
  private final UsePort usePort;
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
  private final Journal journal;
  private final ClockStore clock;

  Outside(
      AccountPort accountPort,
      SeatPort seatPort,
      TrialPort trialPort,
      UsePort usePort,
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
      Journal journal,
      ClockStore clock) {
    this.accountPort = accountPort;
    this.seatPort = seatPort;
    this.trialPort = trialPort;
    this.usePort = usePort;
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
      List<Registered> found = accountPort.read(place(look.account()));
      return () -> record(look.account(), found);
    }
    if (effect instanceof Effect.LookAtSeat look) {
      SeatPort.Holding found = seatPort.read(place(look.seat()));
      return () -> record(look.seat(), found);
    }
    if (effect instanceof Effect.Place place) {
      return place(job, place, lease);
    }
    if (effect instanceof Effect.Prove prove) {
      return prove(job, prove, begun);
    }
    if (effect instanceof Effect.Supply supply) {
      return supply(job, supply, lease);
    }
    if (effect instanceof Effect.Withdraw withdraw) {
      List<Registered> after =
          accountPort.withdraw(place(withdraw.account()), withdraw.line(), lease);
      return () -> withdrawn(job, withdraw, after);
    }
    if (effect instanceof Effect.Clear clear) {
      SeatPort.Holding after = seatPort.clear(place(clear.seat()), key(clear.key()), lease);
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
    try (SecretPair pair = KeyPairMaker.ed25519(clock.random())) {
      KeyRow made = newKeys.add(pair.key(), comment, old.identityId, "coffer", now);
      keys.flush();
      coffer.keep(Coffer.PRIVATE_HALF, made.id, pair);
      rotation.newKeyId = made.id;
      for (PlacementRow placed : placements.liveOfKeys(List.of(old.id))) {
        newPlacements.want(
            made, accounts.get(placed.accountId), rotationId, placed.title, Limits.of(placed));
      }
      journal.write(
          "key.made",
          made.id,
          "New pair " + made.fingerprint + " made in the coffer for " + owner,
          Map.of("rotation", rotationId.toString(), "replaces", old.fingerprint));
    }
  }

  private Recording place(Effects.Job job, Effect.Place effect, Lease lease) throws PortException {
    String line = inside(() -> placement(effect.account(), effect.key()).line);
    List<Registered> after = accountPort.place(place(effect.account()), line, lease);
    return () -> {
      PlacementRow row = placement(effect.account(), effect.key());
      record(effect.account(), after);
      journal("placement.placed", job, row.id);
    };
  }

  private Recording prove(Effects.Job job, Effect.Prove effect, Instant begun)
      throws PortException {
    UUID keyId = inside(() -> row(effect.key()).id);
    AccountRow account = inside(() -> accounts.get(effect.account().value()));
    DestinationRow at = inside(() -> destinations.get(account.destinationId));
    try (SecretPair pair = take(effect.key(), keyId)) {
      TrialPort.Trial trial = trialPort.signIn(new Login(access.server(at), account.login, pair));
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
      return () -> {
        addTrial(account.id, keyId, begun, trial, trial.answer());
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

  /** The server's own log often knows more than the client is told. */
  private String explained(TrialPort.Trial trial, DestinationRow at, AccountRow account) {
    if (at.logPath == null) {
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
    SeatPort.Place where = place(effect.seat());
    SeatPort.Holding now = seatPort.read(where);
    SeatPort.Holding after;
    if (now.keeps().filter(key::equals).isPresent()) {
      after = seatPort.restore(where, key, lease);
    } else {
      String comment = inside(() -> row(effect.key()).comment);
      try (SecretPair pair = take(effect.key(), keyId)) {
        byte[] file = OpenSshFile.write(pair, comment, clock.random());
        try {
          after = seatPort.supply(where, key, file, lease);
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
    AccountRow row = accounts.lock(id.value());
    row.registered =
        found.stream().map(r -> new AccountRow.Entry(r.key().value(), r.line())).toList();
    row.readAt = clock.now();
    for (PlacementRow placement : placements.liveOnAccounts(List.of(row.id))) {
      reconcile(placement, found, row.readAt);
    }
  }

  /** What a lost answer left open is settled by what is really there. */
  private static void reconcile(PlacementRow placement, List<Registered> found, Instant now) {
    boolean there = found.stream().anyMatch(r -> r.line().equals(placement.line));
    if (there && placement.placedAt == null) {
      placement.placedAt = now;
      placement.state = "placed";
      placement.reason = null;
    } else if (!there && placement.state.equals("withdrawing")) {
      placement.withdrawnAt = now;
      placement.state = "withdrawn";
      placement.reason = null;
    }
  }

  private void record(SeatId id, SeatPort.Holding found) {
    SeatRow row = seats.lock(id.value());
    List<String> offers =
        found.offers().map(PublicKey::fingerprintText).map(List::of).orElse(List.of());
    Instant now = clock.now();
    boolean firstReading = row.readAt == null;
    if (!firstReading && !offers.equals(row.offers)) {
      row.offersSince = now;
    }
    row.offers = offers;
    row.keeps = found.keeps().map(PublicKey::fingerprintText).map(List::of).orElse(List.of());
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
          former.map(p -> p.title).orElse(row.comment),
          former.map(Limits::of).orElse(Limits.NONE));
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

  private AccountPort.Place place(AccountId account) {
    return inside(() -> access.account(accounts.get(account.value())));
  }

  private SeatPort.Place place(SeatId seat) {
    return inside(
        () -> {
          SeatRow row = seats.get(seat.value());
          return access.seat(row.destinationId, row.login, row.path);
        });
  }

  private static List<String> union(List<String> one, List<String> other) {
    Set<String> all = new LinkedHashSet<>(one);
    all.addAll(other);
    return new ArrayList<>(all);
  }
}
