package tolvin.service.rotation;

import io.quarkus.narayana.jta.QuarkusTransaction;
import jakarta.enterprise.context.ApplicationScoped;
import java.time.Duration;
import java.util.Optional;
import java.util.UUID;
import org.eclipse.microprofile.config.inject.ConfigProperty;
import tolvin.core.key.Fingerprint;
import tolvin.core.rotation.Aftercare;
import tolvin.core.rotation.Attempt.Outcome;
import tolvin.core.rotation.Decision;
import tolvin.core.rotation.Effect;
import tolvin.service.effect.Effects;
import tolvin.service.job.JobHandler;
import tolvin.service.job.JobKind;
import tolvin.service.record.key.KeyRow;
import tolvin.service.record.key.KeyStore;
import tolvin.service.snapshot.Snapshots;

/** Destroys the private keys of keys that are out of use, once {@link Aftercare} allows it. */
@ApplicationScoped
class Destruction implements JobHandler {
  private static final Duration LATER = Duration.ofMinutes(1);
  private static final Duration BUSY = Duration.ofSeconds(1);
  private static final int MOST_MOVES = 1000;

  private final KeyStore keys;
  private final Snapshots snapshots;
  private final Effects effects;
  private final Duration lease;

  Destruction(
      KeyStore keys,
      Snapshots snapshots,
      Effects effects,
      @ConfigProperty(name = "tolvin.runner.lease") Duration lease) {
    this.keys = keys;
    this.snapshots = snapshots;
    this.effects = effects;
    this.lease = lease;
  }

  @Override
  public JobKind kind() {
    return JobKind.DESTRUCTION;
  }

  @Override
  public Optional<Duration> run(UUID id, Turn turn) {
    Optional<KeyRow> ended =
        QuarkusTransaction.requiringNew().call(() -> keys.find(id).filter(k -> k.endedAt != null));
    return ended.flatMap(key -> clean(key, turn));
  }

  private Optional<Duration> clean(KeyRow key, Turn turn) {
    for (int i = 0; i < MOST_MOVES && !turn.isEnding(); i++) {
      Snapshots.Leftover left = snapshots.leftover(key.id);
      Decision move =
          Aftercare.move(
              new Fingerprint(key.fingerprint), left.snapshot(), left.sameSince(), lease);
      if (!(move instanceof Decision.Act act)) {
        return Optional.of(pause(left, move));
      }
      Optional<Outcome> outcome = effects.perform(job(act.effect(), left), act.effect());
      boolean done = outcome.filter(Outcome.DONE::equals).isPresent();
      if (done && act.effect() instanceof Effect.Destroy) {
        return Optional.empty();
      }
      if (!done) {
        return Optional.of(outcome.isEmpty() ? BUSY : LATER);
      }
    }
    return Optional.of(LATER);
  }

  private static Duration pause(Snapshots.Leftover left, Decision move) {
    Duration wait =
        move instanceof Decision.Wait w && w.until().isPresent()
            ? Duration.between(left.snapshot().now(), w.until().get())
            : LATER;
    return wait.compareTo(BUSY) < 0 ? BUSY : wait;
  }

  private static Effects.Job job(Effect effect, Snapshots.Leftover left) {
    return new Effects.Job(null, null, "aftercare", effect.sentence(left.snapshot()));
  }
}
