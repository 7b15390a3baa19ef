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
import tolvin.core.estate.Seat;
import tolvin.core.estate.Snapshot;
import tolvin.core.estate.Tie;
import tolvin.core.rotation.Attempt.Outcome;

/**
 * Decides every single move of a rotation on accounts that hold two or more keys: pure, total, the
 * same in the simulator and in the service.
 *
 * <p>It keeps no state of its own. What remains to be done is worked out afresh from the snapshot,
 * so a crash, a lost answer or somebody else's edit needs no case of its own: the next snapshot
 * shows what is true, and the first thing missing on the way is done. The way back is the same way
 * with the two keys changed over.
 */
public final class RotationPlanner {
  private static final Duration FIRST_RETRY = Duration.ofSeconds(1);
  private static final Duration LAST_RETRY = Duration.ofMinutes(5);
  private static final Duration REREAD = Duration.ofMinutes(5);
  private static final Duration REREAD_WHILE_PROVING = Duration.ofSeconds(30);
  private static final int PATIENCE = 3;

  private final Snapshot snapshot;
  private final RotationContext context;
  private final List<Attempt> history;

  private RotationPlanner(Snapshot snapshot, RotationContext context, List<Attempt> history) {
    this.snapshot = snapshot;
    this.context = context;
    this.history = history;
  }

  /**
   * The next move.
   *
   * @param snapshot what is known now
   * @param context what the rotation is about
   * @param history what was tried, oldest first
   */
  public static Decision move(Snapshot snapshot, RotationContext context, List<Attempt> history) {
    return new RotationPlanner(snapshot, context, history).decide();
  }

  /**
   * What has to be read again right before an effect, since it rests on it: the worker reads it,
   * asks for the next move once more, and goes on only if it is still the same.
   *
   * <p>A seat is switched, or its former private key removed, on a reading of every account that it
   * opens; a key is withdrawn on a reading of every seat that signs in there. The account itself is
   * read by the effect.
   */
  public static List<Effect> preconditions(Effect effect, Snapshot snapshot) {
    if (effect instanceof Effect.Supply supply) {
      return snapshot.tiesOf(supply.seat()).stream()
          .map(tie -> (Effect) new Effect.LookAtAccount(tie.account()))
          .distinct()
          .toList();
    }
    if (effect instanceof Effect.Withdraw withdraw) {
      return clientsOf(withdraw.account(), snapshot);
    }
    if (effect instanceof Effect.Clear clear) {
      return snapshot.tiesOf(clear.seat()).stream()
          .map(tie -> (Effect) new Effect.LookAtAccount(tie.account()))
          .distinct()
          .toList();
    }
    return List.of();
  }

  /** The readings of every seat that signs in to an account. */
  public static List<Effect> clientsOf(AccountId account, Snapshot snapshot) {
    return snapshot.tiesOf(account).stream()
        .map(tie -> (Effect) new Effect.LookAtSeat(tie.seat()))
        .distinct()
        .toList();
  }

  private Decision decide() {
    if (context.direction() == Direction.STOPPED) {
      return waitForPerson("stopped by a person");
    }
    if (context.fresh().isEmpty()) {
      return context.direction() == Direction.ROLLING_BACK
          ? new Decision.Done()
          : act(new Effect.Generate());
    }
    if (context.direction() == Direction.PLANNED) {
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
        .orElseGet(Decision.Done::new);
  }

  /** Nothing is done on an old snapshot: whatever was touched is read again first. */
  private Optional<Decision> look() {
    for (Account account : snapshot.accountList()) {
      if (account.stopped().isPresent()) {
        return Optional.of(waitForPerson(account.name() + ": " + account.stopped().get()));
      }
      Optional<Decision> unsettled = unsettled(account.id().value(), account.name());
      if (unsettled.isPresent()) {
        return unsettled;
      }
      if (isStale(account.readAt(), account.id().value())) {
        return Optional.of(act(new Effect.LookAtAccount(account.id())));
      }
    }
    for (Seat seat : snapshot.seatList()) {
      if (seat.stopped().isPresent()) {
        return Optional.of(waitForPerson(seat.name() + ": " + seat.stopped().get()));
      }
      Optional<Decision> unsettled = unsettled(seat.id().value(), seat.name());
      if (unsettled.isPresent()) {
        return unsettled;
      }
      if (isStale(seat.readAt(), seat.id().value())) {
        return Optional.of(act(new Effect.LookAtSeat(seat.id())));
      }
    }
    return Optional.empty();
  }

  /** What may still land makes every reading worthless; nothing rests on it until it cannot. */
  private Optional<Decision> unsettled(UUID id, String name) {
    return Optional.ofNullable(snapshot.unsettled().get(id))
        .map(
            since ->
                new Decision.Wait(
                    "a change of "
                        + name
                        + " got no answer and may still land; it is made impossible first",
                    Optional.of(snapshot.now().plus(LAST_RETRY)),
                    since.plus(LAST_RETRY).isBefore(snapshot.now())));
  }

  /** A tie that is broken before anything was done is somebody's business, not to be covered up. */
  private Optional<Decision> broken() {
    for (Tie tie : snapshot.ties()) {
      Account account = snapshot.accounts().get(tie.account());
      boolean works =
          snapshot.seats().get(tie.seat()).signsInWith(account, snapshot.now()).isPresent();
      Question question = Question.brokenTie(tie.id());
      if (!works
          && concerned(account)
          && context.direction() == Direction.RUNNING
          && !accepted(question)) {
        return Optional.of(
            new Decision.Ask(
                question,
                tie.name()
                    + " cannot sign in as it is: no key that its seat offers is registered on "
                    + account.name()
                    + ". Go on all the same?"));
      }
    }
    return Optional.empty();
  }

  private Optional<Decision> place() {
    for (Account account : snapshot.accountList()) {
      if (!concerned(account) || account.accepts(context.to(), snapshot.now()).isPresent()) {
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
      return Optional.of(act(new Effect.Place(account.id(), context.to())));
    }
    return Optional.empty();
  }

  /** Tolvin's own sign-in with the key that was placed; what it cannot try, it does not claim. */
  private Optional<Decision> prove() {
    if (!context.inCoffer().contains(context.to())) {
      return Optional.empty();
    }
    for (Account account : snapshot.accountList()) {
      if (!concerned(account)
          || account.accepts(context.from(), snapshot.now()).isEmpty()
              && snapshot.accountProof(account.id(), context.to()).isPresent()) {
        continue;
      }
      Effect.Prove trial = new Effect.Prove(account.id(), context.to());
      Optional<Instant> placedAt =
          lastStart(new Effect.Place(account.id(), context.to()).id(), Outcome.DONE);
      boolean proven =
          snapshot
              .accountProof(account.id(), context.to())
              .filter(proof -> placedAt.isEmpty() || !proof.at().isBefore(placedAt.get()))
              .isPresent();
      if (proven) {
        continue;
      }
      Instant everywhere = placedAt.orElse(context.startedAt()).plus(account.propagation());
      if (snapshot.now().isBefore(everywhere)) {
        return Optional.of(
            new Decision.Wait(
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
  private Optional<Decision> control(Account account, Effect.Prove trial) {
    Optional<Instant> failed = lastStart(trial.id(), Outcome.FAILED);
    if (failed.isEmpty()
        || !context.inCoffer().contains(context.from())
        || account.accepts(context.from(), snapshot.now()).isEmpty()) {
      return Optional.empty();
    }
    Effect.Prove control = new Effect.Prove(account.id(), context.from());
    Optional<Attempt> last = last(control.id());
    if (last.isEmpty() || last.get().startedAt().isBefore(failed.get())) {
      return Optional.of(act(control));
    }
    return Optional.empty();
  }

  /** A seat is switched only when every account that it opens accepts the key. */
  private Optional<Decision> supply() {
    for (Seat seat : snapshot.seatList()) {
      if (seat.offers().contains(context.to()) && seat.reload() == Seat.Reload.DUE) {
        return Optional.of(act(new Effect.Reload(seat.id(), context.to())));
      }
      if (seat.offers().contains(context.to()) || !seat.offers().contains(context.from())) {
        continue;
      }
      for (Tie tie : snapshot.tiesOf(seat.id())) {
        Account account = snapshot.accounts().get(tie.account());
        if (account.accepts(context.to(), snapshot.now()).isEmpty()) {
          return Optional.of(
              waitForPerson(
                  seat.name()
                      + " also opens "
                      + account.name()
                      + ", which does not accept the key it would get"));
        }
      }
      Question question = Question.noWayBack(seat.id());
      if (context.direction() == Direction.RUNNING
          && !seat.keepsFormer()
          && !context.inCoffer().contains(context.from())
          && !accepted(question)) {
        return Optional.of(
            new Decision.Ask(
                question,
                seat.name()
                    + " holds one private key only, and the old one is not in the coffer: once it"
                    + " is replaced, nobody can put it back. Its new key is placed and tried first."
                    + " Go on?"));
      }
      return Optional.of(act(new Effect.Supply(seat.id(), context.to())));
    }
    return Optional.empty();
  }

  /** A key is withdrawn nowhere before everything that depends on it is safe everywhere. */
  private Optional<Decision> withdraw() {
    List<Account> remaining =
        snapshot.accountList().stream()
            .filter(a -> a.registered().stream().anyMatch(r -> r.key().equals(context.from())))
            .toList();
    for (Account account : remaining) {
      for (Ruling ruling :
          Guards.beforeWithdrawal(account, context.from(), context.to(), snapshot, context)) {
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
                        account.id(), context.from(), account.placed().get(context.from()))));
  }

  private Decision held(Account account, Ruling ruling) {
    return switch (ruling.answer()) {
      case TRIAL_NEEDED ->
          act(
              new Effect.Prove(
                  account.id(),
                  Guards.trialKey(account, context.from(), context.to(), snapshot, context)
                      .orElseThrow()));
      case LOOK_NEEDED -> act(new Effect.LookAtAccount(account.id()));
      case BLIND ->
          new Decision.Ask(
              Guards.blindQuestion(account),
              ruling.reason() + ". Is it certain that nobody else uses the old key?");
      case SAID ->
          snapshot.tiesOf(account.id()).stream()
              .filter(tie -> snapshot.seatProof(tie, context.to()).isEmpty())
              .filter(tie -> snapshot.isSaidToBeProven(tie, context.to()))
              .filter(tie -> !accepted(Guards.readInQuestion(tie)))
              .findFirst()
              .map(
                  tie ->
                      (Decision)
                          new Decision.Ask(
                              Guards.readInQuestion(tie),
                              ruling.reason() + ". Is it certain that it did?"))
              .orElseGet(() -> waitForPerson(ruling.reason()));
      case NEVER -> waitForPerson(ruling.reason());
      default ->
          seatTrial(account, ruling)
              .orElseGet(
                  () ->
                      new Decision.Wait(
                          ruling.reason(), ruling.until(), isOverdue(account, ruling)));
    };
  }

  /** A seat that can be asked to sign in is asked, rather than waited for. */
  private Optional<Decision> seatTrial(Account account, Ruling ruling) {
    if (ruling.guard() != Ruling.Name.PROVEN) {
      return Optional.empty();
    }
    return snapshot.tiesOf(account.id()).stream()
        .filter(tie -> snapshot.seatProof(tie, context.to()).isEmpty())
        .filter(tie -> snapshot.seats().get(tie.seat()).triesItself())
        .filter(tie -> snapshot.seats().get(tie.seat()).offers().contains(context.to()))
        .findFirst()
        .map(tie -> act(new Effect.ProveSeat(tie.seat(), tie.id(), context.to())));
  }

  /** A person is told of a seat that stays silent for longer than its expected interval allows. */
  private boolean isOverdue(Account account, Ruling ruling) {
    if (ruling.guard() != Ruling.Name.PROVEN) {
      return ruling.guard() != Ruling.Name.QUIET;
    }
    return snapshot.tiesOf(account.id()).stream()
        .filter(tie -> snapshot.seatProof(tie, context.to()).isEmpty())
        .anyMatch(
            tie ->
                snapshot
                    .seats()
                    .get(tie.seat())
                    .offersSince()
                    .plus(tie.expectedInterval().multipliedBy(PATIENCE))
                    .isBefore(snapshot.now()));
  }

  /** An entry of the key that goes which was not found is gone when a second reading says so. */
  private Optional<Decision> confirmGone() {
    for (Account account : snapshot.accountList()) {
      if (account.losses().missing().contains(context.from())) {
        Instant again = account.readAt().orElse(snapshot.now()).plus(Absence.CONFIRMED_AFTER);
        return Optional.of(
            snapshot.now().isBefore(again)
                ? new Decision.Wait(
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
  private Optional<Decision> clear() {
    for (Seat seat : snapshot.seatList()) {
      if (seat.keeps().contains(context.to()) && seat.offers().contains(context.to())) {
        return Optional.of(act(new Effect.Clear(seat.id(), context.to())));
      }
      if (!seat.keeps().contains(context.from())) {
        continue;
      }
      for (Tie tie : snapshot.tiesOf(seat.id())) {
        Account account = snapshot.accounts().get(tie.account());
        List<Ruling> rulings =
            Guards.beforeClearing(account, context.from(), context.to(), snapshot, context);
        Optional<Ruling> held = rulings.stream().filter(r -> !r.allowed()).findFirst();
        if (held.isPresent() && concerned(account)) {
          return Optional.of(held(account, held.get()));
        }
      }
      return Optional.of(act(new Effect.Clear(seat.id(), context.from())));
    }
    return Optional.empty();
  }

  /** Whether the rotation is about this account at all. */
  private boolean concerned(Account account) {
    return Stream.concat(Stream.of(context.old()), context.fresh().stream())
        .anyMatch(
            key -> account.placed().containsKey(key) || account.losses().gone().contains(key));
  }

  /** Does it, if a person and the calendar let it. */
  private Decision act(Effect effect) {
    if (effect.changes() && context.direction() == Direction.RUNNING) {
      Optional<Decision> frozen = frozen();
      if (frozen.isPresent()) {
        return frozen.get();
      }
      if (!context.approved().isEmpty() && !context.approved().contains(effect.id())) {
        Question question = Question.beyondThePlan(effect.id());
        if (!accepted(question)) {
          return new Decision.Ask(
              question,
              "The plan that was approved did not have this: "
                  + effect.sentence(snapshot)
                  + ". Go on?");
        }
      }
    }
    return retried(effect);
  }

  /** A failed reading of what an effect rests on is waited for like a failed effect. */
  private Decision retried(Effect effect) {
    return Stream.concat(preconditions(effect, snapshot).stream(), Stream.of(effect))
        .flatMap(each -> retry(each).stream())
        .findFirst()
        .orElseGet(() -> new Decision.Act(effect));
  }

  private Optional<Decision> frozen() {
    Optional<Freeze> freeze =
        snapshot.freezes().stream().filter(f -> f.covers(snapshot.now())).findFirst();
    boolean expiring =
        freeze.isPresent()
            && snapshot.accountList().stream()
                .flatMap(a -> a.accepts(context.from(), snapshot.now()).stream())
                .flatMap(r -> r.expires().stream())
                .anyMatch(end -> end.isBefore(freeze.get().until()));
    return expiring
        ? Optional.empty()
        : freeze.map(
            f -> new Decision.Wait("freeze: " + f.reason(), Optional.of(f.until()), false));
  }

  /** After a failure the same effect is tried again, ever more slowly. */
  private Optional<Decision> retry(Effect effect) {
    int failures = 0;
    Attempt latest = null;
    for (int i = history.size() - 1; i >= 0; i--) {
      Attempt attempt = history.get(i);
      if (attempt.effect().equals(effect.id())) {
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
    if (!snapshot.now().isBefore(again)) {
      return Optional.empty();
    }
    return Optional.of(
        new Decision.Wait(latest.reason(), Optional.of(again), failures >= PATIENCE));
  }

  private boolean isStale(Optional<Instant> readAt, UUID target) {
    if (readAt.isEmpty() || readAt.get().plus(reread()).isBefore(snapshot.now())) {
      return true;
    }
    return history.stream()
        .filter(attempt -> attempt.effect().where().filter(target::equals).isPresent())
        .filter(attempt -> !attempt.effect().kind().isLookOrProof())
        .anyMatch(attempt -> attempt.startedAt().isAfter(readAt.get()));
  }

  /** How old a reading may get: less while a seat is still to prove itself. */
  private Duration reread() {
    boolean proving =
        snapshot.ties().stream()
            .filter(tie -> snapshot.seats().get(tie.seat()).offers().contains(context.to()))
            .anyMatch(tie -> snapshot.seatProof(tie, context.to()).isEmpty());
    return proving ? REREAD_WHILE_PROVING : REREAD;
  }

  private Optional<Attempt> last(EffectId effect) {
    return history.stream().filter(a -> a.effect().equals(effect)).reduce((a, b) -> b);
  }

  private Optional<Instant> lastStart(EffectId effect, Outcome outcome) {
    return last(effect).filter(a -> a.outcome() == outcome).map(Attempt::startedAt);
  }

  private boolean accepted(Question question) {
    return context.accepted().contains(question);
  }

  private static Decision waitForPerson(String reason) {
    return new Decision.Wait(reason, Optional.empty(), true);
  }
}
