package tolvin.core.rotation;

import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import java.util.Set;
import java.util.stream.Collectors;
import java.util.stream.Stream;
import tolvin.core.estate.Account;
import tolvin.core.estate.Picture;
import tolvin.core.estate.Seat;

/**
 * What a rotation would do from here if all went well: {@link Next} itself, run through a world in
 * which every effect succeeds. So a plan can never say anything else than what will be done.
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

  /** The names of the effects: what a person approves. */
  public Set<String> effectNames() {
    return steps.stream()
        .flatMap(step -> step.effect().stream())
        .map(Effect::name)
        .collect(Collectors.toSet());
  }

  /** The plan from the picture on. One that is on hold or stopped is planned as if it were run. */
  public static Plan of(Picture picture, Course course) {
    Optional<String> unread = unread(picture);
    if (unread.isPresent()) {
      return new Plan(List.of(), unread);
    }
    Course ahead = course.aim() == Aim.BACK ? course : course.aiming(Aim.FORWARD);
    Foresight world = new Foresight(picture, ahead);
    List<Step> steps = new ArrayList<>();
    for (int i = 0; i < MOST_MOVES; i++) {
      Move move = Next.move(world.picture(), world.course(), List.of());
      if (move instanceof Move.Act act) {
        if (!isLook(act.effect())) {
          steps.add(
              new Step(
                  Optional.of(act.effect()),
                  act.effect().sentence(world.picture()),
                  guards(act.effect())));
        }
        if (act.effect() instanceof Effect.Supply supply) {
          world.picture().tiesOf(supply.seat()).stream()
              .map(tie -> new Step(Optional.empty(), waiting(tie.name()), List.of()))
              .forEach(steps::add);
        }
        world.apply(act.effect());
      } else if (move instanceof Move.Wait wait && wait.until().isPresent()) {
        steps.add(new Step(Optional.empty(), "Wait: " + wait.reason(), List.of()));
        world.passTime(wait.until().get());
      } else if (move instanceof Move.Wait wait) {
        return new Plan(steps, Optional.of(wait.reason()));
      } else if (move instanceof Move.Ask ask) {
        return new Plan(steps, Optional.of(ask.reason()));
      } else {
        return new Plan(steps, Optional.empty());
      }
    }
    throw new IllegalStateException("the plan does not come to an end");
  }

  /** A plan never speaks of what nobody has looked at yet. */
  private static Optional<String> unread(Picture picture) {
    return Stream.concat(
            picture.accountList().stream()
                .filter(account -> account.readAt().isEmpty())
                .map(Account::name),
            picture.seatList().stream().filter(seat -> seat.readAt().isEmpty()).map(Seat::name))
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
