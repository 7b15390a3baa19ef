package tolvin.core.rotation;

import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import java.util.Set;
import java.util.stream.Collectors;
import java.util.stream.Stream;
import tolvin.core.estate.Account;
import tolvin.core.estate.Seat;
import tolvin.core.estate.Snapshot;

/**
 * What a rotation would do from here if all went well: {@link RotationPlanner} itself, run through
 * a world in which every effect succeeds. So a plan can never say anything else than what will be
 * done.
 *
 * @param steps in order
 * @param obstacle what a person has to settle before the plan can go through; empty if nothing
 */
public record Plan(List<Step> steps, Optional<String> obstacle) {
  private static final int MOST_MOVES = 100_000;

  /**
   * One step.
   *
   * @param effect what is done; empty for a wait
   * @param sentence the step in words
   * @param guards what has to hold before it may be done
   */
  public record Step(Optional<Effect> effect, String sentence, List<String> guards) {}

  /** Copies what can be copied. */
  public Plan {
    steps = List.copyOf(steps);
  }

  /** Its effects: what a person approves. */
  public Set<EffectId> effects() {
    return steps.stream()
        .flatMap(step -> step.effect().stream())
        .map(Effect::id)
        .collect(Collectors.toSet());
  }

  /** The plan from the snapshot on. One that is on hold or stopped is planned as if it were run. */
  public static Plan of(Snapshot snapshot, RotationContext context) {
    Optional<String> unread = unread(snapshot);
    if (unread.isPresent()) {
      return new Plan(List.of(), unread);
    }
    RotationContext ahead =
        context.direction() == Direction.ROLLING_BACK
            ? context
            : context.heading(Direction.RUNNING);
    Foresight world = new Foresight(snapshot, ahead);
    List<Step> steps = new ArrayList<>();
    for (int i = 0; i < MOST_MOVES; i++) {
      Decision move = RotationPlanner.move(world.snapshot(), world.context(), List.of());
      if (move instanceof Decision.Act act) {
        if (!isLook(act.effect())) {
          steps.add(
              new Step(
                  Optional.of(act.effect()),
                  act.effect().sentence(world.snapshot()),
                  guards(act.effect())));
        }
        if (act.effect() instanceof Effect.Supply supply) {
          world.snapshot().tiesOf(supply.seat()).stream()
              .map(tie -> new Step(Optional.empty(), waiting(tie.name()), List.of()))
              .forEach(steps::add);
        }
        world.apply(act.effect());
      } else if (move instanceof Decision.Wait wait && wait.until().isPresent()) {
        steps.add(new Step(Optional.empty(), "Wait: " + wait.reason(), List.of()));
        world.passTime(wait.until().get());
      } else if (move instanceof Decision.Wait wait) {
        return new Plan(steps, Optional.of(wait.reason()));
      } else if (move instanceof Decision.Ask ask) {
        return new Plan(steps, Optional.of(ask.reason()));
      } else {
        return new Plan(steps, Optional.empty());
      }
    }
    throw new IllegalStateException("the plan does not come to an end");
  }

  /** A plan never speaks of what nobody has looked at yet. */
  private static Optional<String> unread(Snapshot snapshot) {
    return Stream.concat(
            snapshot.accountList().stream()
                .filter(account -> account.readAt().isEmpty())
                .map(Account::name),
            snapshot.seatList().stream().filter(seat -> seat.readAt().isEmpty()).map(Seat::name))
        .findFirst()
        .map(name -> name + " could not be read yet; the plan is worked out as soon as it was");
  }

  private static boolean isLook(Effect effect) {
    return effect instanceof Effect.LookAtAccount || effect instanceof Effect.LookAtSeat;
  }

  private static String waiting(String tie) {
    return "Wait until " + tie + " has signed in with it by itself";
  }

  private static List<String> guards(Effect effect) {
    if (effect instanceof Effect.Withdraw) {
      return List.of(
          "every tie has signed in with the new key",
          "the old key has been quiet, and uses can be seen",
          "every tie keeps a key that is offered and accepted",
          "no freeze",
          "the entry is the one that Tolvin placed");
    }
    if (effect instanceof Effect.Supply) {
      return List.of("every account that the seat opens accepts the new key");
    }
    if (effect instanceof Effect.Place) {
      return List.of("the account has room for one more key", "no freeze");
    }
    return List.of();
  }
}
