package tolvin.service.rotation;

import jakarta.enterprise.context.ApplicationScoped;
import java.time.Duration;
import java.util.Optional;
import java.util.UUID;
import tolvin.core.rotation.Attempt.Outcome;
import tolvin.core.rotation.Decision;
import tolvin.core.rotation.Effect;
import tolvin.service.effect.Effects;
import tolvin.service.snapshot.Situation;
import tolvin.service.snapshot.Snapshots;

/**
 * Makes the new key of a planned rotation and reads everything that its plan rests on, while
 * whoever asked for the plan waits: so a plan never speaks of what nobody has looked at yet.
 */
@ApplicationScoped
class Preparation {
  private static final Duration PATIENCE = Duration.ofSeconds(20);

  private final Snapshots snapshots;
  private final Effects effects;

  Preparation(Snapshots snapshots, Effects effects) {
    this.snapshots = snapshots;
    this.effects = effects;
  }

  /**
   * Prepares a rotation as far as that is possible within a few seconds; changes nothing outside.
   */
  void prepare(UUID rotation) {
    long end = System.nanoTime() + PATIENCE.toNanos();
    while (System.nanoTime() - end < 0) {
      Situation situation = snapshots.situation(rotation);
      if (!(situation.next() instanceof Decision.Act act) || act.effect().changes()) {
        return;
      }
      Effect effect = act.effect();
      Optional<Outcome> outcome =
          effects.perform(
              new Effects.Job(rotation, null, "preparation", effect.sentence(situation.snapshot())),
              effect);
      if (outcome.isEmpty() && !Effects.pause()) {
        return;
      }
    }
  }
}
