package tolvin.service.job;

import jakarta.enterprise.context.ApplicationScoped;
import jakarta.transaction.Transactional;
import java.util.Collection;
import java.util.UUID;
import tolvin.service.record.rotation.RotationStore;

/** Tells rotations that there is news which they may wait for. */
@ApplicationScoped
public class Wakening {
  private final RotationStore rotations;
  private final Jobs jobs;

  Wakening(RotationStore rotations, Jobs jobs) {
    this.rotations = rotations;
    this.jobs = jobs;
  }

  /** Has the rotations of keys on some accounts looked at now. */
  @Transactional
  public void of(Collection<UUID> accounts) {
    jobs.wake(JobKind.ROTATION, rotations.onTheirWayAt(accounts));
  }

  /** Has every rotation looked at soon. */
  @Transactional
  public void all() {
    jobs.wake(JobKind.ROTATION, rotations.onTheirWay());
  }
}
