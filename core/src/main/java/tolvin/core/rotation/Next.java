package tolvin.core.rotation;

import java.time.Duration;
import java.time.Instant;
import java.util.List;
import java.util.Optional;
import java.util.UUID;
import java.util.stream.Stream;
import tolvin.core.estate.Absence;
import tolvin.core.estate.Account;
import tolvin.core.estate.AccountId;
import tolvin.core.estate.Freeze;
import tolvin.core.estate.Picture;
import tolvin.core.estate.Seat;
import tolvin.core.estate.Tie;
import tolvin.core.rotation.Attempt.Outcome;

/**
 * Decides every single move of a rotation on accounts that hold two or more keys: pure, total, the
 * same in the simulator and in the service.
 *
 * <p>It keeps no state of its own. What remains to be done is worked out afresh from the picture,
 * so a crash, a lost answer or somebody else's edit needs no case of its own: the next picture
 * shows what is true, and the first thing missing on the way is done. The way back is the same way
 * with the two keys changed over.
 */
public final class Next {
  private static final Duration FIRST_RETRY = Duration.ofSeconds(1);
  private static final Duration LAST_RETRY = Duration.ofMinutes(5);
  private static final Duration REREAD = Duration.ofMinutes(5);
  private static final Duration REREAD_WHILE_PROVING = Duration.ofSeconds(30);
  private static final int PATIENCE = 3;

  /** How the question about an effect begins that the approved plan does not have. */
  public static final String BEYOND_THE_PLAN = "beyond the plan: ";

  private final Picture picture;
  private final Course course;
  private final List<Attempt> history;

  private Next(Picture picture, Course course, List<Attempt> history) {
    this.picture = picture;
    this.course = course;
    this.history = history;
  }

  /**
   * The next move.
   *
   * @param picture what is known now
   * @param course what the rotation is about
   * @param history what was tried, oldest first
   */
  public static Move move(Picture picture, Course course, List<Attempt> history) {
    return new Next(picture, course, history).decide();
  }

  /**
   * What has to be read again right before an effect, since it rests on it: the worker reads it,
   * asks for the next move once more, and goes on only if it is still the same.
   *
   * <p>A seat is switched, or its former private key removed, on a reading of every account that it
   * opens; a key is withdrawn on a reading of every seat that signs in there. The account itself is
   * read by the effect.
   */
  public static List<Effect> preconditions(Effect effect, Picture picture) {
    if (effect instanceof Effect.Supply supply) {
      return picture.tiesOf(supply.seat()).stream()
          .map(tie -> (Effect) new Effect.LookAtAccount(tie.account()))
          .distinct()
          .toList();
    }
    if (effect instanceof Effect.Withdraw withdraw) {
      return clientsOf(withdraw.account(), picture);
    }
    if (effect instanceof Effect.Clear clear) {
      return picture.tiesOf(clear.seat()).stream()
          .map(tie -> (Effect) new Effect.LookAtAccount(tie.account()))
          .distinct()
          .toList();
    }
    return List.of();
  }

  /** The readings of every seat that signs in to an account. */
  public static List<Effect> clientsOf(AccountId account, Picture picture) {
    return picture.tiesOf(account).stream()
        .map(tie -> (Effect) new Effect.LookAtSeat(tie.seat()))
        .distinct()
        .toList();
  }

  private Move decide() {
    if (course.aim() == Aim.STOPPED) {
      return waitForPerson("stopped by a person");
    }
    if (course.fresh().isEmpty()) {
      return course.aim() == Aim.BACK ? new Move.Done() : act(new Effect.Make());
    }
    if (course.aim() == Aim.HOLD) {
      return look().orElseGet(() -> waitForPerson("planned; waiting for a person to run it"));
    }
    return look()
        .or(this::place)
        .or(this::broken)
        .or(this::prove)
        .or(this::supply)
        .or(this::withdraw)
        .or(this::confirmGone)
        .or(this::clear)
        .orElseGet(Move.Done::new);
  }

  /** Nothing is done on an old picture: whatever was touched is read again first. */
  private Optional<Move> look() {
    for (Account account : picture.accountList()) {
      if (account.stopped().isPresent()) {
        return Optional.of(waitForPerson(account.name() + ": " + account.stopped().get()));
      }
      Optional<Move> unsettled = unsettled(account.id().value(), account.name());
      if (unsettled.isPresent()) {
        return unsettled;
      }
      if (isStale(account.readAt(), account.id().toString())) {
        return Optional.of(act(new Effect.LookAtAccount(account.id())));
      }
    }
    for (Seat seat : picture.seatList()) {
      if (seat.stopped().isPresent()) {
        return Optional.of(waitForPerson(seat.name() + ": " + seat.stopped().get()));
      }
      Optional<Move> unsettled = unsettled(seat.id().value(), seat.name());
      if (unsettled.isPresent()) {
        return unsettled;
      }
      if (isStale(seat.readAt(), seat.id().toString())) {
        return Optional.of(act(new Effect.LookAtSeat(seat.id())));
      }
    }
    return Optional.empty();
  }

  /** What may still land makes every reading worthless; nothing rests on it until it cannot. */
  private Optional<Move> unsettled(UUID id, String name) {
    return Optional.ofNullable(picture.unsettled().get(id))
        .map(
            since ->
                new Move.Wait(
                    "a change of "
                        + name
                        + " got no answer and may still land; it is made impossible first",
                    Optional.of(picture.now().plus(LAST_RETRY)),
                    since.plus(LAST_RETRY).isBefore(picture.now())));
  }

  /** A tie that is broken before anything was done is somebody's business, not to be covered up. */
  private Optional<Move> broken() {
    for (Tie tie : picture.ties()) {
      Account account = picture.accounts().get(tie.account());
      boolean works =
          picture.seats().get(tie.seat()).signsInWith(account, picture.now()).isPresent();
      String question = "broken " + tie.id();
      if (!works && concerned(account) && course.aim() == Aim.FORWARD && !accepted(question)) {
        return Optional.of(
            new Move.Ask(
                question,
                tie.name()
                    + " cannot sign in as it is: no key that its seat offers is registered on "
                    + account.name()
                    + ". Go on all the same?"));
      }
    }
    return Optional.empty();
  }

  private Optional<Move> place() {
    for (Account account : picture.accountList()) {
      if (!concerned(account) || account.accepts(course.to(), picture.now()).isPresent()) {
        continue;
      }
      if (account.registered().size() >= account.holds()) {
        return Optional.of(
            waitForPerson(
                account.name()
                    + " holds "
                    + account.holds()
                    + " keys and all places are taken; nothing is overwritten. Withdraw one that is"
                    + " no longer needed"));
      }
      return Optional.of(act(new Effect.Place(account.id(), course.to())));
    }
    return Optional.empty();
  }

  /** Tolvin's own sign-in with the key that was placed; what it cannot try, it does not claim. */
  private Optional<Move> prove() {
    if (!course.inCoffer().contains(course.to())) {
      return Optional.empty();
    }
    for (Account account : picture.accountList()) {
      if (!concerned(account)
          || account.accepts(course.from(), picture.now()).isEmpty()
              && picture.accountProof(account.id(), course.to()).isPresent()) {
        continue;
      }
      Effect.Prove trial = new Effect.Prove(account.id(), course.to());
      Optional<Instant> placedAt =
          lastStart(new Effect.Place(account.id(), course.to()).name(), Outcome.DONE);
      boolean proven =
          picture
              .accountProof(account.id(), course.to())
              .filter(proof -> placedAt.isEmpty() || !proof.at().isBefore(placedAt.get()))
              .isPresent();
      if (proven) {
        continue;
      }
      Instant everywhere = placedAt.orElse(course.startedAt()).plus(account.propagation());
      if (picture.now().isBefore(everywhere)) {
        return Optional.of(
            new Move.Wait(
                account.name() + " takes a while to copy a new key everywhere",
                Optional.of(everywhere),
                false));
      }
      return Optional.of(control(account, trial).orElseGet(() -> act(trial)));
    }
    return Optional.empty();
  }

  /**
   * A failed trial with the new key is judged beside one with the old key, if Tolvin holds it: when
   * both fail, the account itself lets nobody in.
   */
  private Optional<Move> control(Account account, Effect.Prove trial) {
    Optional<Instant> failed = lastStart(trial.name(), Outcome.FAILED);
    if (failed.isEmpty()
        || !course.inCoffer().contains(course.from())
        || account.accepts(course.from(), picture.now()).isEmpty()) {
      return Optional.empty();
    }
    Effect.Prove control = new Effect.Prove(account.id(), course.from());
    Optional<Attempt> last = last(control.name());
    if (last.isEmpty() || last.get().startedAt().isBefore(failed.get())) {
      return Optional.of(act(control));
    }
    return Optional.empty();
  }

  /** A seat is switched only when every account that it opens accepts the key. */
  private Optional<Move> supply() {
    for (Seat seat : picture.seatList()) {
      if (seat.offers().contains(course.to()) && seat.telling() == Seat.Telling.DUE) {
        return Optional.of(act(new Effect.TakeEffect(seat.id(), course.to())));
      }
      if (seat.offers().contains(course.to()) || !seat.offers().contains(course.from())) {
        continue;
      }
      for (Tie tie : picture.tiesOf(seat.id())) {
        Account account = picture.accounts().get(tie.account());
        if (account.accepts(course.to(), picture.now()).isEmpty()) {
          return Optional.of(
              waitForPerson(
                  seat.name()
                      + " also opens "
                      + account.name()
                      + ", which does not accept the key it would get"));
        }
      }
      String question = "no way back " + seat.id();
      if (course.aim() == Aim.FORWARD
          && !seat.keepsFormer()
          && !course.inCoffer().contains(course.from())
          && !accepted(question)) {
        return Optional.of(
            new Move.Ask(
                question,
                seat.name()
                    + " holds one private half only, and the old one is not in the coffer: once it"
                    + " is replaced, nobody can put it back. Its new key is placed and tried first."
                    + " Go on?"));
      }
      return Optional.of(act(new Effect.Supply(seat.id(), course.to())));
    }
    return Optional.empty();
  }

  /** A key is withdrawn nowhere before everything that depends on it is safe everywhere. */
  private Optional<Move> withdraw() {
    List<Account> remaining =
        picture.accountList().stream()
            .filter(a -> a.registered().stream().anyMatch(r -> r.key().equals(course.from())))
            .toList();
    for (Account account : remaining) {
      for (Ruling ruling :
          Guards.beforeWithdrawal(account, course.from(), course.to(), picture, course)) {
        if (!ruling.allowed()) {
          return Optional.of(held(account, ruling));
        }
      }
    }
    return remaining.stream()
        .findFirst()
        .map(
            account ->
                act(
                    new Effect.Withdraw(
                        account.id(), course.from(), account.placed().get(course.from()))));
  }

  private Move held(Account account, Ruling ruling) {
    return switch (ruling.answer()) {
      case TRIAL_NEEDED ->
          act(
              new Effect.Prove(
                  account.id(),
                  Guards.trialKey(account, course.from(), course.to(), picture, course)
                      .orElseThrow()));
      case LOOK_NEEDED -> act(new Effect.LookAtAccount(account.id()));
      case BLIND ->
          new Move.Ask(
              Guards.blindQuestion(account),
              ruling.reason() + ". Is it certain that nobody else uses the old key?");
      case SAID ->
          picture.tiesOf(account.id()).stream()
              .filter(tie -> picture.seatProof(tie, course.to()).isEmpty())
              .filter(tie -> picture.isSaidToBeProven(tie, course.to()))
              .filter(tie -> !accepted(Guards.readInQuestion(tie)))
              .findFirst()
              .map(
                  tie ->
                      (Move)
                          new Move.Ask(
                              Guards.readInQuestion(tie),
                              ruling.reason() + ". Is it certain that it did?"))
              .orElseGet(() -> waitForPerson(ruling.reason()));
      case NEVER -> waitForPerson(ruling.reason());
      default ->
          seatTrial(account, ruling)
              .orElseGet(
                  () -> new Move.Wait(ruling.reason(), ruling.until(), isOverdue(account, ruling)));
    };
  }

  /** A seat that can be asked to sign in is asked, rather than waited for. */
  private Optional<Move> seatTrial(Account account, Ruling ruling) {
    if (ruling.guard() != Ruling.Name.PROVEN) {
      return Optional.empty();
    }
    return picture.tiesOf(account.id()).stream()
        .filter(tie -> picture.seatProof(tie, course.to()).isEmpty())
        .filter(tie -> picture.seats().get(tie.seat()).triesItself())
        .filter(tie -> picture.seats().get(tie.seat()).offers().contains(course.to()))
        .findFirst()
        .map(tie -> act(new Effect.TrySeat(tie.seat(), tie.id(), course.to())));
  }

  /** A seat that stays silent for longer than its rhythm allows is told to a person. */
  private boolean isOverdue(Account account, Ruling ruling) {
    if (ruling.guard() != Ruling.Name.PROVEN) {
      return ruling.guard() != Ruling.Name.QUIET;
    }
    return picture.tiesOf(account.id()).stream()
        .filter(tie -> picture.seatProof(tie, course.to()).isEmpty())
        .anyMatch(
            tie ->
                picture
                    .seats()
                    .get(tie.seat())
                    .offersSince()
                    .plus(tie.rhythm().multipliedBy(PATIENCE))
                    .isBefore(picture.now()));
  }

  /** An entry of the key that goes which was not found is gone when a second reading says so. */
  private Optional<Move> confirmGone() {
    for (Account account : picture.accountList()) {
      if (account.losses().missing().contains(course.from())) {
        Instant again = account.readAt().orElse(picture.now()).plus(Absence.CONFIRMED_AFTER);
        return Optional.of(
            picture.now().isBefore(again)
                ? new Move.Wait(
                    "somebody else took the key that goes out of "
                        + account.name()
                        + "; a second reading confirms it",
                    Optional.of(again),
                    false)
                : act(new Effect.LookAtAccount(account.id())));
      }
    }
    return Optional.empty();
  }

  /**
   * Private keys beside a seat's file: the one that goes, when nothing needs it any more; and a
   * copy of what the seat offers, which an interrupted change left there.
   */
  private Optional<Move> clear() {
    for (Seat seat : picture.seatList()) {
      if (seat.keeps().contains(course.to()) && seat.offers().contains(course.to())) {
        return Optional.of(act(new Effect.Clear(seat.id(), course.to())));
      }
      if (!seat.keeps().contains(course.from())) {
        continue;
      }
      for (Tie tie : picture.tiesOf(seat.id())) {
        Account account = picture.accounts().get(tie.account());
        List<Ruling> rulings =
            Guards.beforeClearing(account, course.from(), course.to(), picture, course);
        Optional<Ruling> held = rulings.stream().filter(r -> !r.allowed()).findFirst();
        if (held.isPresent() && concerned(account)) {
          return Optional.of(held(account, held.get()));
        }
      }
      return Optional.of(act(new Effect.Clear(seat.id(), course.from())));
    }
    return Optional.empty();
  }

  /** Whether the rotation is about this account at all. */
  private boolean concerned(Account account) {
    return Stream.concat(Stream.of(course.old()), course.fresh().stream())
        .anyMatch(
            key -> account.placed().containsKey(key) || account.losses().gone().contains(key));
  }

  /** Does it, if a person and the calendar let it. */
  private Move act(Effect effect) {
    if (effect.changes() && course.aim() == Aim.FORWARD) {
      Optional<Move> frozen = frozen();
      if (frozen.isPresent()) {
        return frozen.get();
      }
      if (!course.approved().isEmpty() && !course.approved().contains(effect.name())) {
        String question = BEYOND_THE_PLAN + effect.name();
        if (!accepted(question)) {
          return new Move.Ask(
              question,
              "The plan that was approved did not have this: "
                  + effect.sentence(picture)
                  + ". Go on?");
        }
      }
    }
    return retried(effect);
  }

  /** A failed reading of what an effect rests on is waited for like a failed effect. */
  private Move retried(Effect effect) {
    return Stream.concat(preconditions(effect, picture).stream(), Stream.of(effect))
        .flatMap(each -> retry(each).stream())
        .findFirst()
        .orElseGet(() -> new Move.Act(effect));
  }

  private Optional<Move> frozen() {
    Optional<Freeze> freeze =
        picture.freezes().stream().filter(f -> f.covers(picture.now())).findFirst();
    boolean expiring =
        freeze.isPresent()
            && picture.accountList().stream()
                .flatMap(a -> a.accepts(course.from(), picture.now()).stream())
                .flatMap(r -> r.expires().stream())
                .anyMatch(end -> end.isBefore(freeze.get().until()));
    return expiring
        ? Optional.empty()
        : freeze.map(f -> new Move.Wait("freeze: " + f.reason(), Optional.of(f.until()), false));
  }

  /** After a failure the same effect is tried again, ever more slowly. */
  private Optional<Move> retry(Effect effect) {
    int failures = 0;
    Attempt latest = null;
    for (int i = history.size() - 1; i >= 0; i--) {
      Attempt attempt = history.get(i);
      if (attempt.effect().equals(effect.name())) {
        if (attempt.outcome() != Outcome.FAILED) {
          break;
        }
        latest = latest == null ? attempt : latest;
        failures++;
      }
    }
    if (latest == null) {
      return Optional.empty();
    }
    Duration pause = FIRST_RETRY.multipliedBy(1L << Math.min(failures - 1, 12));
    Instant again = latest.startedAt().plus(pause.compareTo(LAST_RETRY) < 0 ? pause : LAST_RETRY);
    if (!picture.now().isBefore(again)) {
      return Optional.empty();
    }
    return Optional.of(new Move.Wait(latest.reason(), Optional.of(again), failures >= PATIENCE));
  }

  private boolean isStale(Optional<Instant> readAt, String target) {
    if (readAt.isEmpty() || readAt.get().plus(reread()).isBefore(picture.now())) {
      return true;
    }
    return history.stream()
        .filter(attempt -> attempt.effect().contains(target))
        .filter(attempt -> !attempt.effect().startsWith("look"))
        .filter(attempt -> !attempt.effect().startsWith("prove"))
        .anyMatch(attempt -> attempt.startedAt().isAfter(readAt.get()));
  }

  /** How old a reading may get: less while a seat is still to prove itself. */
  private Duration reread() {
    boolean proving =
        picture.ties().stream()
            .filter(tie -> picture.seats().get(tie.seat()).offers().contains(course.to()))
            .anyMatch(tie -> picture.seatProof(tie, course.to()).isEmpty());
    return proving ? REREAD_WHILE_PROVING : REREAD;
  }

  private Optional<Attempt> last(String effect) {
    return history.stream().filter(a -> a.effect().equals(effect)).reduce((a, b) -> b);
  }

  private Optional<Instant> lastStart(String effect, Outcome outcome) {
    return last(effect).filter(a -> a.outcome() == outcome).map(Attempt::startedAt);
  }

  private boolean accepted(String question) {
    return course.accepted().contains(question);
  }

  private static Move waitForPerson(String reason) {
    return new Move.Wait(reason, Optional.empty(), true);
  }
}
