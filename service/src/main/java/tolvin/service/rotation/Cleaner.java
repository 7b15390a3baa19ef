package tolvin.service.rotation;

import io.quarkus.narayana.jta.QuarkusTransaction;
import io.quarkus.runtime.ShutdownEvent;
import io.quarkus.runtime.StartupEvent;
import jakarta.enterprise.context.ApplicationScoped;
import jakarta.enterprise.event.Observes;
import java.time.Duration;
import java.time.Instant;
import java.util.Optional;
import java.util.UUID;
import org.eclipse.microprofile.config.inject.ConfigProperty;
import tolvin.core.key.Fingerprint;
import tolvin.core.rotation.Aftercare;
import tolvin.core.rotation.Attempt.Outcome;
import tolvin.core.rotation.Decision;
import tolvin.core.rotation.Effect;
import tolvin.service.integration.SeatRow;
import tolvin.service.integration.SeatStore;
import tolvin.service.key.KeyRow;
import tolvin.service.key.KeyStore;
import tolvin.service.store.ClockStore;

/**
 * What is left to do after rotations: private keys that are out of use are destroyed once {@link
 * Aftercare} allows it, and seats are read again, after each rotation and at intervals.
 */
@ApplicationScoped
public class Cleaner {
  private static final Duration CLAIM = Duration.ofMinutes(2);
  private static final Duration LATER = Duration.ofMinutes(1);
  private static final Duration BUSY = Duration.ofSeconds(1);
  private static final int WORKERS = 2;
  private static final int MOST_MOVES = 1000;

  private final KeyStore keys;
  private final SeatStore seats;
  private final Snapshots snapshots;
  private final Effects effects;
  private final SeatWatch seatWatch;
  private final ClockStore clock;
  private final Duration lease;
  private final boolean enabled;
  private final Workers threads = new Workers("cleaner", () -> cleanOne() | lookAtOne());

  Cleaner(
      KeyStore keys,
      SeatStore seats,
      Snapshots snapshots,
      Effects effects,
      SeatWatch seatWatch,
      ClockStore clock,
      @ConfigProperty(name = "tolvin.runner.lease") Duration lease,
      @ConfigProperty(name = "tolvin.runner.enabled") boolean enabled) {
    this.keys = keys;
    this.seats = seats;
    this.snapshots = snapshots;
    this.effects = effects;
    this.seatWatch = seatWatch;
    this.clock = clock;
    this.lease = lease;
    this.enabled = enabled;
  }

  void start(@Observes StartupEvent event) {
    if (enabled) {
      threads.start(WORKERS);
    }
  }

  void stop(@Observes ShutdownEvent event) {
    threads.stop();
  }

  /** A rotation came to its end. */
  void wake() {
    threads.wake();
  }

  private boolean cleanOne() {
    Optional<KeyRow> key =
        QuarkusTransaction.requiringNew()
            .call(() -> keys.claimToDestroy(clock.now(), clock.now().plus(CLAIM)));
    key.ifPresent(this::clean);
    return key.isPresent();
  }

  private void clean(KeyRow key) {
    Duration pause = LATER;
    for (int i = 0; i < MOST_MOVES && !threads.isStopping(); i++) {
      Snapshots.Leftover left = snapshots.leftover(key.id);
      Decision move =
          Aftercare.move(
              new Fingerprint(key.fingerprint), left.snapshot(), left.sameSince(), lease);
      if (!(move instanceof Decision.Act act)) {
        pause = pause(left, move);
        break;
      }
      Optional<Outcome> outcome = effects.perform(job(act.effect(), left), act.effect());
      if (act.effect() instanceof Effect.Destroy
          && outcome.filter(Outcome.DONE::equals).isPresent()) {
        return;
      }
      if (outcome.isEmpty() || outcome.get() != Outcome.DONE) {
        pause = outcome.isEmpty() ? BUSY : LATER;
        break;
      }
    }
    Duration until = pause;
    QuarkusTransaction.requiringNew()
        .run(() -> keys.lock(key.id).destroyAt = clock.now().plus(until));
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

  private boolean lookAtOne() {
    Optional<UUID> seat =
        QuarkusTransaction.requiringNew()
            .call(
                () -> {
                  Instant now = clock.now();
                  return seats.claimToLook(now, now.plus(CLAIM)).map((SeatRow s) -> s.id);
                });
    seat.ifPresent(
        id -> {
          Duration next = seatWatch.look(id);
          QuarkusTransaction.requiringNew()
              .run(() -> seats.lock(id).lookAt = clock.now().plus(next));
        });
    return seat.isPresent();
  }
}
