package tolvin.core.rotation;

import java.time.Duration;
import java.time.Instant;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import tolvin.core.estate.Account;
import tolvin.core.estate.AccountId;
import tolvin.core.estate.AccountProof;
import tolvin.core.estate.Feed;
import tolvin.core.estate.Registered;
import tolvin.core.estate.Seat;
import tolvin.core.estate.Seat.Reload;
import tolvin.core.estate.SeatId;
import tolvin.core.estate.SeatProof;
import tolvin.core.estate.Snapshot;
import tolvin.core.estate.Tie;
import tolvin.core.estate.Use;
import tolvin.core.key.Fingerprint;

/** A world in which every effect succeeds at once, so that a plan can be seen ahead. */
final class Foresight {
  private static final Fingerprint UNMADE = new Fingerprint("SHA256:" + "A".repeat(43));

  private Snapshot snapshot;
  private RotationContext context;

  Foresight(Snapshot snapshot, RotationContext context) {
    this.snapshot = snapshot;
    this.context = context;
  }

  Snapshot snapshot() {
    return snapshot;
  }

  RotationContext context() {
    return context;
  }

  void passTime(Instant until) {
    snapshot = at(until.isAfter(snapshot.now()) ? until : snapshot.now());
    refreshReadings();
  }

  void apply(Effect effect) {
    snapshot = at(snapshot.now().plus(Duration.ofSeconds(1)));
    if (effect instanceof Effect.Generate) {
      Set<Fingerprint> coffer = new HashSet<>(context.inCoffer());
      coffer.add(UNMADE);
      context = context(Optional.of(UNMADE), coffer);
    } else if (effect instanceof Effect.Place place) {
      change(place.account(), place.key(), true);
    } else if (effect instanceof Effect.Withdraw withdraw) {
      change(withdraw.account(), withdraw.key(), false);
    } else if (effect instanceof Effect.Prove prove) {
      List<AccountProof> proofs = new ArrayList<>(snapshot.proofs());
      proofs.add(new AccountProof(prove.account(), prove.key(), snapshot.now()));
      snapshot = with(snapshot.accounts(), snapshot.seats(), snapshot.uses(), proofs);
    } else if (effect instanceof Effect.ProveSeat tried) {
      List<SeatProof> proofs = new ArrayList<>(snapshot.seatProofs());
      proofs.add(new SeatProof(tried.tie(), tried.key(), snapshot.now()));
      snapshot = proven(proofs);
    } else if (effect instanceof Effect.Supply supply) {
      supply(supply);
    } else if (effect instanceof Effect.Reload told) {
      Seat seat = snapshot.seats().get(told.seat());
      replace(seat(seat, seat.offers(), seat.keeps(), snapshot.now(), Reload.DONE));
      signIn(seat, told.key());
    } else if (effect instanceof Effect.Clear clear) {
      Seat seat = snapshot.seats().get(clear.seat());
      Set<Fingerprint> keeps = new HashSet<>(seat.keeps());
      keeps.remove(clear.key());
      replace(seat(seat, seat.offers(), keeps, seat.offersSince()));
    }
    refreshReadings();
  }

  private void supply(Effect.Supply supply) {
    Seat seat = snapshot.seats().get(supply.seat());
    Set<Fingerprint> keeps = new HashSet<>(seat.keeps());
    if (seat.keepsFormer()) {
      keeps.add(context.from());
    }
    keeps.remove(supply.key());
    boolean told = seat.reload() != Reload.NOT_NEEDED;
    replace(
        seat(
            seat,
            seat.offers().stream()
                .map(key -> key.equals(context.from()) ? supply.key() : key)
                .toList(),
            keeps,
            snapshot.now(),
            told ? Reload.DUE : Reload.NOT_NEEDED));
    if (!told) {
      signIn(seat, supply.key());
    }
  }

  private void signIn(Seat seat, Fingerprint key) {
    snapshot = at(snapshot.now().plus(Duration.ofSeconds(1)));
    List<Use> uses = new ArrayList<>(snapshot.uses());
    for (Tie tie : seat.triesItself() ? List.<Tie>of() : snapshot.tiesOf(seat.id())) {
      uses.add(new Use(tie.account(), key, tie.address(), snapshot.now(), snapshot.now()));
    }
    snapshot = with(snapshot.accounts(), snapshot.seats(), uses, snapshot.proofs());
  }

  private void change(AccountId id, Fingerprint key, boolean add) {
    Account account = snapshot.accounts().get(id);
    List<Registered> registered = new ArrayList<>(account.registered());
    Map<Fingerprint, String> placed = new HashMap<>(account.placed());
    registered.removeIf(r -> r.key().equals(key));
    placed.remove(key);
    if (add) {
      registered.add(new Registered(key, "line of " + key));
      placed.put(key, "line of " + key);
    }
    replace(account(account, registered, placed, account.feed()));
  }

  /** In foresight every reading is fresh, and Tolvin's own sign-ins show up at once. */
  private void refreshReadings() {
    for (Account account : snapshot.accounts().values()) {
      Feed feed = account.feed();
      Optional<Instant> own =
          snapshot.proofs().stream()
              .filter(proof -> proof.account().equals(account.id()))
              .map(AccountProof::at)
              .max(Instant::compareTo);
      Feed fresh =
          feed.unbrokenSince().isEmpty()
              ? feed
              : new Feed(feed.unbrokenSince(), Optional.of(snapshot.now()), own);
      replace(account(account, account.registered(), account.placed(), fresh));
    }
    for (Seat seat : snapshot.seats().values()) {
      replace(seat(seat, seat.offers(), seat.keeps(), seat.offersSince()));
    }
  }

  private Account account(
      Account a, List<Registered> registered, Map<Fingerprint, String> placed, Feed feed) {
    return new Account(
        a.id(),
        a.name(),
        a.holds(),
        a.propagation(),
        registered,
        Optional.of(snapshot.now()),
        placed,
        feed,
        a.stopped(),
        a.losses());
  }

  private Seat seat(Seat s, List<Fingerprint> offers, Set<Fingerprint> keeps, Instant since) {
    return seat(s, offers, keeps, since, s.reload());
  }

  private Seat seat(
      Seat s, List<Fingerprint> offers, Set<Fingerprint> keeps, Instant since, Reload reload) {
    Set<Fingerprint> ever = new HashSet<>(s.everOffered());
    ever.addAll(offers);
    return new Seat(
        s.id(),
        s.name(),
        offers,
        keeps,
        Optional.of(snapshot.now()),
        since,
        ever,
        s.stopped(),
        s.triesItself(),
        s.keepsFormer(),
        reload,
        s.fallsBack());
  }

  private void replace(Account account) {
    Map<AccountId, Account> accounts = new HashMap<>(snapshot.accounts());
    accounts.put(account.id(), account);
    snapshot = with(accounts, snapshot.seats(), snapshot.uses(), snapshot.proofs());
  }

  private void replace(Seat seat) {
    Map<SeatId, Seat> seats = new HashMap<>(snapshot.seats());
    seats.put(seat.id(), seat);
    snapshot = with(snapshot.accounts(), seats, snapshot.uses(), snapshot.proofs());
  }

  private Snapshot with(
      Map<AccountId, Account> accounts,
      Map<SeatId, Seat> seats,
      List<Use> uses,
      List<AccountProof> proofs) {
    return new Snapshot(
        snapshot.now(),
        accounts,
        seats,
        snapshot.ties(),
        uses,
        proofs,
        snapshot.seatProofs(),
        snapshot.freezes(),
        snapshot.promisedElsewhere(),
        snapshot.unsettled());
  }

  private Snapshot at(Instant now) {
    return new Snapshot(
        now,
        snapshot.accounts(),
        snapshot.seats(),
        snapshot.ties(),
        snapshot.uses(),
        snapshot.proofs(),
        snapshot.seatProofs(),
        snapshot.freezes(),
        snapshot.promisedElsewhere(),
        snapshot.unsettled());
  }

  private Snapshot proven(List<SeatProof> proofs) {
    return new Snapshot(
        snapshot.now(),
        snapshot.accounts(),
        snapshot.seats(),
        snapshot.ties(),
        snapshot.uses(),
        snapshot.proofs(),
        proofs,
        snapshot.freezes(),
        snapshot.promisedElsewhere(),
        snapshot.unsettled());
  }

  private RotationContext context(Optional<Fingerprint> fresh, Set<Fingerprint> coffer) {
    return new RotationContext(
        context.old(),
        fresh,
        context.direction(),
        context.startedAt(),
        context.watch(),
        coffer,
        context.givenOut(),
        context.approved(),
        context.accepted());
  }
}
