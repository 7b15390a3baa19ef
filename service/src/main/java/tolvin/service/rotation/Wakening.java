package tolvin.service.rotation;

import jakarta.enterprise.context.ApplicationScoped;
import jakarta.transaction.Transactional;
import java.util.Collection;
import java.util.UUID;
import tolvin.service.store.ClockStore;

/** Tells all rotations that there is news which one of them may wait for. */
@ApplicationScoped
public class Wakening {
  private final RotationStore rotations;
  private final Runner runner;
  private final ClockStore clock;

  Wakening(RotationStore rotations, Runner runner, ClockStore clock) {
    this.rotations = rotations;
    this.runner = runner;
    this.clock = clock;
  }

  /** Has the rotations of keys on some accounts looked at now. */
  @Transactional
  public void of(Collection<UUID> accounts) {
    rotations.wakeOf(accounts, clock.now());
    runner.wake();
  }

  /** Has every rotation looked at soon. */
  @Transactional
  public void all() {
    rotations.wakeAll(clock.now());
    runner.wake();
  }
}
