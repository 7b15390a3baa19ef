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
import tolvin.core.estate.Picture;
import tolvin.core.estate.Registered;
import tolvin.core.estate.Seat;
import tolvin.core.estate.Seat.Telling;
import tolvin.core.estate.SeatId;
import tolvin.core.estate.SeatProof;
import tolvin.core.estate.Tie;
import tolvin.core.estate.Use;
import tolvin.core.key.Fingerprint;

/** A world in which every effect succeeds at once, so that a plan can be seen ahead. */
final class Foresight {
  private static final Fingerprint UNMADE = new Fingerprint("SHA256:" + "A".repeat(43));

  private Picture picture;
  private Course course;

  Foresight(Picture picture, Course course) {
    this.picture = picture;
    this.course = course;
  }

  Picture picture() {
    return picture;
  }

  Course course() {
    return course;
  }

  void passTime(Instant until) {
    picture = at(until.isAfter(picture.now()) ? until : picture.now());
    refreshReadings();
  }

  void apply(Effect effect) {
    picture = at(picture.now().plus(Duration.ofSeconds(1)));
    if (effect instanceof Effect.Make) {
      Set<Fingerprint> coffer = new HashSet<>(course.inCoffer());
      coffer.add(UNMADE);
      course = course(Optional.of(UNMADE), coffer);
    } else if (effect instanceof Effect.Place place) {
      change(place.account(), place.key(), true);
    } else if (effect instanceof Effect.Withdraw withdraw) {
      change(withdraw.account(), withdraw.key(), false);
    } else if (effect instanceof Effect.Prove prove) {
      List<AccountProof> proofs = new ArrayList<>(picture.proofs());
      proofs.add(new AccountProof(prove.account(), prove.key(), picture.now()));
      picture = with(picture.accounts(), picture.seats(), picture.uses(), proofs);
    } else if (effect instanceof Effect.TrySeat tried) {
      List<SeatProof> proofs = new ArrayList<>(picture.seatProofs());
      proofs.add(new SeatProof(tried.tie(), tried.key(), picture.now()));
      picture = proven(proofs);
    } else if (effect instanceof Effect.Supply supply) {
      supply(supply);
    } else if (effect instanceof Effect.TakeEffect told) {
      Seat seat = picture.seats().get(told.seat());
      replace(seat(seat, seat.offers(), seat.keeps(), picture.now(), Telling.DONE));
      signIn(seat, told.key());
    } else if (effect instanceof Effect.Clear clear) {
      Seat seat = picture.seats().get(clear.seat());
      Set<Fingerprint> keeps = new HashSet<>(seat.keeps());
      keeps.remove(clear.key());
      replace(seat(seat, seat.offers(), keeps, seat.offersSince()));
    }
    refreshReadings();
  }

  private void supply(Effect.Supply supply) {
    Seat seat = picture.seats().get(supply.seat());
    Set<Fingerprint> keeps = new HashSet<>(seat.keeps());
    if (seat.keepsFormer()) {
      keeps.add(course.from());
    }
    keeps.remove(supply.key());
    boolean told = seat.telling() != Telling.NOT_NEEDED;
    replace(
        seat(
            seat,
            seat.offers().stream()
                .map(key -> key.equals(course.from()) ? supply.key() : key)
                .toList(),
            keeps,
            picture.now(),
            told ? Telling.DUE : Telling.NOT_NEEDED));
    if (!told) {
      signIn(seat, supply.key());
    }
  }

  private void signIn(Seat seat, Fingerprint key) {
    picture = at(picture.now().plus(Duration.ofSeconds(1)));
    List<Use> uses = new ArrayList<>(picture.uses());
    for (Tie tie : seat.triesItself() ? List.<Tie>of() : picture.tiesOf(seat.id())) {
      uses.add(new Use(tie.account(), key, tie.address(), picture.now(), picture.now()));
    }
    picture = with(picture.accounts(), picture.seats(), uses, picture.proofs());
  }

  private void change(AccountId id, Fingerprint key, boolean add) {
    Account account = picture.accounts().get(id);
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
    for (Account account : picture.accounts().values()) {
      Feed feed = account.feed();
      Optional<Instant> own =
          picture.proofs().stream()
              .filter(proof -> proof.account().equals(account.id()))
              .map(AccountProof::at)
              .max(Instant::compareTo);
      Feed fresh =
          feed.unbrokenSince().isEmpty()
              ? feed
              : new Feed(feed.unbrokenSince(), Optional.of(picture.now()), own);
      replace(account(account, account.registered(), account.placed(), fresh));
    }
    for (Seat seat : picture.seats().values()) {
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
        Optional.of(picture.now()),
        placed,
        feed,
        a.stopped(),
        a.losses());
  }

  private Seat seat(Seat s, List<Fingerprint> offers, Set<Fingerprint> keeps, Instant since) {
    return seat(s, offers, keeps, since, s.telling());
  }

  private Seat seat(
      Seat s, List<Fingerprint> offers, Set<Fingerprint> keeps, Instant since, Telling telling) {
    Set<Fingerprint> ever = new HashSet<>(s.everOffered());
    ever.addAll(offers);
    return new Seat(
        s.id(),
        s.name(),
        offers,
        keeps,
        Optional.of(picture.now()),
        since,
        ever,
        s.stopped(),
        s.triesItself(),
        s.keepsFormer(),
        telling,
        s.fallsBack());
  }

  private void replace(Account account) {
    Map<AccountId, Account> accounts = new HashMap<>(picture.accounts());
    accounts.put(account.id(), account);
    picture = with(accounts, picture.seats(), picture.uses(), picture.proofs());
  }

  private void replace(Seat seat) {
    Map<SeatId, Seat> seats = new HashMap<>(picture.seats());
    seats.put(seat.id(), seat);
    picture = with(picture.accounts(), seats, picture.uses(), picture.proofs());
  }

  private Picture with(
      Map<AccountId, Account> accounts,
      Map<SeatId, Seat> seats,
      List<Use> uses,
      List<AccountProof> proofs) {
    return new Picture(
        picture.now(),
        accounts,
        seats,
        picture.ties(),
        uses,
        proofs,
        picture.seatProofs(),
        picture.freezes(),
        picture.promisedElsewhere(),
        picture.unsettled());
  }

  private Picture at(Instant now) {
    return new Picture(
        now,
        picture.accounts(),
        picture.seats(),
        picture.ties(),
        picture.uses(),
        picture.proofs(),
        picture.seatProofs(),
        picture.freezes(),
        picture.promisedElsewhere(),
        picture.unsettled());
  }

  private Picture proven(List<SeatProof> proofs) {
    return new Picture(
        picture.now(),
        picture.accounts(),
        picture.seats(),
        picture.ties(),
        picture.uses(),
        picture.proofs(),
        proofs,
        picture.freezes(),
        picture.promisedElsewhere(),
        picture.unsettled());
  }

  private Course course(Optional<Fingerprint> fresh, Set<Fingerprint> coffer) {
    return new Course(
        course.old(),
        fresh,
        course.aim(),
        course.startedAt(),
        course.watch(),
        coffer,
        course.approved(),
        course.accepted());
  }
}
