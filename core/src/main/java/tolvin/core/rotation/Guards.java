package tolvin.core.rotation;

import java.time.Duration;
import java.time.Instant;
import java.util.List;
import java.util.Optional;
import tolvin.core.estate.Account;
import tolvin.core.estate.Feed;
import tolvin.core.estate.Freeze;
import tolvin.core.estate.Seat;
import tolvin.core.estate.Snapshot;
import tolvin.core.estate.Tie;
import tolvin.core.estate.Use;
import tolvin.core.key.Fingerprint;
import tolvin.core.rotation.Ruling.Answer;
import tolvin.core.rotation.Ruling.Name;

/** The five guards before a key is withdrawn from an account. Each is pure and gives its reason. */
public final class Guards {
  /** How long Tolvin's own sign-in may take to show up in the feed. */
  static final Duration OWN_TRIAL_SHOWS = Duration.ofSeconds(60);

  private Guards() {}

  /**
   * All five, in their order.
   *
   * @param account where the withdrawal would be
   * @param from the key that would go
   * @param to the key that would stay
   */
  public static List<Ruling> beforeWithdrawal(
      Account account,
      Fingerprint from,
      Fingerprint to,
      Snapshot snapshot,
      RotationContext context) {
    return List.of(
        proven(account, from, to, snapshot, context),
        spare(account, from, to, snapshot),
        freeze(account, from, snapshot, context),
        quiet(account, from, to, snapshot, context),
        ours(account, from, snapshot));
  }

  /**
   * Before a seat's former private key is removed: what would hold before a withdrawal, as far as
   * the seats are concerned. Usually the withdrawal came first; where somebody else took the entry
   * out, nothing else has asked yet. On the way back the seats never needed the key that goes.
   */
  static List<Ruling> beforeClearing(
      Account account,
      Fingerprint from,
      Fingerprint to,
      Snapshot snapshot,
      RotationContext context) {
    return context.direction() == Direction.ROLLING_BACK
        ? List.of(spare(account, from, to, snapshot))
        : List.of(proven(account, from, to, snapshot, context), spare(account, from, to, snapshot));
  }

  /**
   * Guard 1: every tie that ever offered the key has a seat proof with the other one, or with one
   * that its client tries before it and goes on with.
   */
  static Ruling proven(
      Account account,
      Fingerprint from,
      Fingerprint to,
      Snapshot snapshot,
      RotationContext context) {
    boolean sees = account.feed().unbrokenSince().isPresent();
    for (Tie tie : dependent(account, from, snapshot)) {
      if (snapshot.seatProof(tie, to).isEmpty()
          && !signsInOtherwise(tie, account, from, snapshot)) {
        if (!sees && snapshot.isSaidToBeProven(tie, to)) {
          if (context.accepted().contains(readInQuestion(tie))) {
            continue;
          }
          return Ruling.not(
              Name.PROVEN,
              Answer.SAID,
              tie.name()
                  + " has signed in with the new key only by a log that somebody read in, which"
                  + " proves nothing");
        }
        Seat seat = snapshot.seats().get(tie.seat());
        Optional<Use> still =
            snapshot.uses().stream()
                .filter(use -> use.account().equals(account.id()) && use.key().equals(from))
                .filter(use -> use.address().equals(tie.address()))
                .filter(use -> use.earliest().isAfter(seat.offersSince()))
                .findFirst();
        String what =
            still.isPresent()
                ? " still signs in with the other key although its seat was supplied; does it read"
                    + " another file, or want a restart?"
                : " has not yet signed in with what it was supplied";
        return Ruling.not(Name.PROVEN, Answer.NOT_YET, tie.name() + what);
      }
    }
    return Ruling.allow(Name.PROVEN, "every tie has signed in with the key that stays");
  }

  /** Whether it was seen to sign in with another key, which it tries first and which stays. */
  private static boolean signsInOtherwise(
      Tie tie, Account account, Fingerprint from, Snapshot snapshot) {
    return snapshot
        .seats()
        .get(tie.seat())
        .signsInWith(account, snapshot.now())
        .filter(key -> !key.equals(from) && !snapshot.promisedElsewhere().contains(key))
        .filter(key -> !account.losses().leaving().contains(key))
        .filter(key -> snapshot.seatProof(tie, key).isPresent())
        .isPresent();
  }

  /** Guard 2: the key was quiet long enough, while the feed of uses demonstrably worked. */
  static Ruling quiet(
      Account account,
      Fingerprint from,
      Fingerprint to,
      Snapshot snapshot,
      RotationContext context) {
    Feed feed = account.feed();
    if (neverLeftTheCoffer(from, snapshot, context)) {
      return Ruling.allow(
          Name.QUIET, "the private key was never out of the coffer, so nobody can be using it");
    }
    if (context.accepted().contains(blindQuestion(account))) {
      return Ruling.allow(Name.QUIET, "a person accepted that uses cannot be seen here");
    }
    if (feed.unbrokenSince().isEmpty()) {
      return Ruling.not(
          Name.QUIET,
          Answer.BLIND,
          account.name() + " reports no uses, so nobody can see whether the key is still needed");
    }
    Instant start = later(context.startedAt(), feed.unbrokenSince().get());
    for (Tie tie : dependent(account, from, snapshot)) {
      start = later(start, snapshot.seats().get(tie.seat()).offersSince());
    }
    Optional<Use> last = snapshot.lastUse(account.id(), from);
    boolean usedAfter = last.isPresent() && last.get().latest().isAfter(start);
    if (usedAfter) {
      start = last.get().latest();
    }
    Duration needed = watchTime(account, from, snapshot, context);
    Instant end = start.plus(needed);
    if (snapshot.now().isBefore(end)) {
      String why =
          usedAfter
              ? "the key that is to go was used again on "
                  + account.name()
                  + " from "
                  + last.get().address()
                  + (isKnown(last.get(), snapshot) ? "" : ", an address nobody told us of")
              : "the key that is to go is watched on " + account.name();
      return Ruling.notYet(Name.QUIET, why + " (" + seconds(needed) + " of silence needed)", end);
    }
    Instant shownBy = end;
    boolean feedWorked =
        feed.ownTrialSeen().filter(seen -> !seen.isBefore(shownBy)).isPresent()
            || snapshot.uses().stream()
                .filter(u -> u.account().equals(account.id()) && !u.readIn())
                .anyMatch(u -> !u.earliest().isBefore(shownBy));
    return feedWorked
        ? Ruling.allow(
            Name.QUIET, "not used for " + seconds(needed) + " while the feed of uses worked")
        : ownTrial(account, from, to, end, snapshot, context);
  }

  /**
   * Whether a key that is put back was made for this rotation and given to nobody: no seat may have
   * offered or kept it, and no sign-in with it was seen. Then there is nobody whose use has to be
   * watched for; and no sign-in could be, where the account lets nobody in while it is there.
   */
  private static boolean neverLeftTheCoffer(
      Fingerprint from, Snapshot snapshot, RotationContext context) {
    boolean wasGiven =
        snapshot.seats().values().stream()
            .anyMatch(seat -> seat.everOffered().contains(from) || seat.keeps().contains(from));
    return context.direction() == Direction.ROLLING_BACK
        && context.inCoffer().contains(from)
        && !context.givenOut().contains(from)
        && !wasGiven
        && snapshot.uses().stream().noneMatch(use -> use.key().equals(from));
  }

  private static Ruling ownTrial(
      Account account,
      Fingerprint from,
      Fingerprint to,
      Instant end,
      Snapshot snapshot,
      RotationContext context) {
    Optional<Fingerprint> key = trialKey(account, from, to, snapshot, context);
    if (key.isEmpty()) {
      return Ruling.not(
          Name.QUIET,
          Answer.BLIND,
          "Tolvin cannot sign in to "
              + account.name()
              + " itself, so it cannot know whether the feed of uses works");
    }
    Optional<Instant> made = snapshot.accountProof(account.id(), key.get()).map(p -> p.at());
    if (made.isEmpty() || made.get().isBefore(end)) {
      return Ruling.not(
          Name.QUIET,
          Answer.TRIAL_NEEDED,
          "a control sign-in has to show up in the feed of " + account.name());
    }
    Instant patience = made.get().plus(OWN_TRIAL_SHOWS);
    return snapshot.now().isBefore(patience)
        ? Ruling.notYet(
            Name.QUIET, "waiting until Tolvin's own sign-in shows up in the feed", patience)
        : Ruling.not(
            Name.QUIET,
            Answer.BLIND,
            "Tolvin's own sign-in on " + account.name() + " never showed up in the feed of uses");
  }

  /** The key for Tolvin's control sign-in: the one that stays, or else the one that goes. */
  static Optional<Fingerprint> trialKey(
      Account account,
      Fingerprint from,
      Fingerprint to,
      Snapshot snapshot,
      RotationContext context) {
    return java.util.stream.Stream.of(to, from)
        .filter(context.inCoffer()::contains)
        .filter(key -> account.accepts(key, snapshot.now()).isPresent())
        .findFirst();
  }

  /** Guard 3: every tie keeps another key that is offered, accepted, unexpired and reserved. */
  static Ruling spare(Account account, Fingerprint from, Fingerprint to, Snapshot snapshot) {
    if (snapshot.promisedElsewhere().contains(to)) {
      return Ruling.not(
          Name.SPARE, Answer.NOT_YET, "another rotation is about to withdraw the key that stays");
    }
    if (account.losses().leaving().contains(to)) {
      return Ruling.not(
          Name.SPARE,
          Answer.NOT_YET,
          "the key that would stay is being withdrawn from " + account.name());
    }
    if (account.accepts(to, snapshot.now()).isEmpty()) {
      return Ruling.not(
          Name.SPARE, Answer.NOT_YET, account.name() + " does not accept the key that would stay");
    }
    for (Tie tie : dependent(account, from, snapshot)) {
      if (!snapshot.seats().get(tie.seat()).offers().contains(to)) {
        return Ruling.not(
            Name.SPARE, Answer.NOT_YET, tie.name() + " does not offer the key that would stay");
      }
    }
    return Ruling.allow(Name.SPARE, "every tie keeps a key that is offered and accepted");
  }

  /** Guard 4: no freeze covers now, unless the key's own end comes before the freeze's. */
  static Ruling freeze(
      Account account, Fingerprint from, Snapshot snapshot, RotationContext context) {
    if (context.direction() == Direction.ROLLING_BACK) {
      return Ruling.allow(Name.FREEZE, "a roll-back is exempt from freezes");
    }
    Optional<Freeze> covering =
        snapshot.freezes().stream().filter(f -> f.covers(snapshot.now())).findFirst();
    if (covering.isEmpty()) {
      return Ruling.allow(Name.FREEZE, "no freeze");
    }
    Freeze freeze = covering.get();
    Optional<Instant> end =
        account.accepts(from, snapshot.now()).flatMap(registered -> registered.expires());
    if (end.isPresent() && end.get().isBefore(freeze.until())) {
      return Ruling.allow(
          Name.FREEZE, "the old key expires during the freeze (" + freeze.reason() + ")");
    }
    return Ruling.notYet(Name.FREEZE, "freeze: " + freeze.reason(), freeze.until());
  }

  /** Guard 5: the entry that would go is still the one that Tolvin placed, by a fresh reading. */
  static Ruling ours(Account account, Fingerprint from, Snapshot snapshot) {
    if (!snapshot.isFresh(account.readAt())) {
      return Ruling.not(
          Name.OURS, Answer.LOOK_NEEDED, account.name() + " has to be read again first");
    }
    String placed = account.placed().get(from);
    long others =
        account.registered().stream()
            .filter(r -> r.key().equals(from) && !r.line().equals(placed))
            .count();
    if (others > 0) {
      return Ruling.not(
          Name.OURS,
          Answer.NEVER,
          "the entry of the key on "
              + account.name()
              + " is not the one that Tolvin placed: somebody changed it");
    }
    return Ruling.allow(Name.OURS, "the entry is the one that Tolvin placed");
  }

  /** The question whether to believe a log that somebody read in. */
  static Question readInQuestion(Tie tie) {
    return Question.useReadIn(tie.id());
  }

  /** The question that a person answers when uses cannot be seen on an account. */
  static Question blindQuestion(Account account) {
    return Question.usesNotSeen(account.id());
  }

  /**
   * The longest of watch time, expected interval and longest session. On the way back the key that
   * goes was made a moment ago and only its own seats ever had it, so their expected interval is
   * enough.
   */
  static Duration watchTime(
      Account account, Fingerprint from, Snapshot snapshot, RotationContext context) {
    Duration longest =
        context.direction() == Direction.ROLLING_BACK ? Duration.ZERO : context.watch();
    for (Tie tie : dependent(account, from, snapshot)) {
      longest = longer(longest, longer(tie.expectedInterval(), tie.longestSession()));
    }
    return longest;
  }

  /** The ties of the account whose seat may ever have offered the key. */
  private static List<Tie> dependent(Account account, Fingerprint key, Snapshot snapshot) {
    return snapshot.tiesOf(account.id()).stream()
        .filter(tie -> snapshot.seats().get(tie.seat()).everOffered().contains(key))
        .toList();
  }

  private static boolean isKnown(Use use, Snapshot snapshot) {
    return snapshot.tiesOf(use.account()).stream()
        .anyMatch(tie -> tie.address().equals(use.address()));
  }

  private static Duration longer(Duration one, Duration other) {
    return one.compareTo(other) >= 0 ? one : other;
  }

  private static Instant later(Instant one, Instant other) {
    return one.isAfter(other) ? one : other;
  }

  private static String seconds(Duration duration) {
    return duration.toSeconds() < 120
        ? duration.toSeconds() + " s"
        : duration.toHours() < 48 ? duration.toMinutes() + " min" : duration.toDays() + " days";
  }
}
