package tolvin.service.job;

import jakarta.enterprise.context.ApplicationScoped;
import jakarta.persistence.EntityManager;
import java.time.Instant;
import java.util.Collection;
import java.util.List;
import java.util.Optional;
import java.util.UUID;
import tolvin.service.store.ClockStore;

/** The table of jobs, beside what the scheduler does with it itself. */
@ApplicationScoped
class JobStore {
  /** The table's name. */
  static final String TABLE = "job";

  /** The channel on which instances tell each other of jobs, with the moment as microseconds. */
  static final String CHANNEL = "job";

  private final EntityManager database;

  JobStore(EntityManager database) {
    this.database = database;
  }

  /**
   * Has jobs done at a moment, or earlier where they are due earlier. One that is being done just
   * now is done once more after it.
   */
  void at(JobKind kind, Collection<UUID> subjects, Instant when) {
    if (subjects.isEmpty()) {
      return;
    }
    for (UUID subject : subjects.stream().sorted().toList()) {
      database
          .createNativeQuery(
              "insert into job (task_name, task_instance, execution_time, picked, version) values"
                  + " (:kind, :subject, :at, false, 1) on conflict (task_name, task_instance) do"
                  + " update set execution_time = case when job.picked then job.execution_time else"
                  + " least(job.execution_time, excluded.execution_time) end, woken_at = case when"
                  + " job.picked then least(job.woken_at, excluded.execution_time) end")
          .setParameter("kind", kind.name())
          .setParameter("subject", subject.toString())
          .setParameter("at", when)
          .executeUpdate();
    }
    database
        .createNativeQuery("select cast(pg_notify(:channel, :at) as text)")
        .setParameter("channel", CHANNEL)
        .setParameter("at", String.valueOf(when.toEpochMilli()))
        .getSingleResult();
  }

  /**
   * Lays a job down that a worker has done its turn of. News that came meanwhile makes it due again
   * at once, whatever the worker says.
   *
   * @param version the one with which the worker was given it: another one's turn stays untouched
   * @param again when it is due again; empty if nothing is left to be done
   * @param failures how many turns in a row went wrong
   * @return when it is due again; empty if it is over, or is another worker's by now
   */
  Optional<Instant> layDown(
      String kind, String subject, long version, Optional<Instant> again, int failures) {
    String mine =
        " where task_name = :kind and task_instance = :subject and version = :version and picked";
    if (again.isEmpty()) {
      int ended =
          database
              .createNativeQuery("delete from job" + mine + " and woken_at is null")
              .setParameter("kind", kind)
              .setParameter("subject", subject)
              .setParameter("version", version)
              .executeUpdate();
      if (ended == 1) {
        return Optional.empty();
      }
    }
    List<?> due =
        database
            .createNativeQuery(
                "update job set picked = false, picked_by = null, last_heartbeat = null, version ="
                    + " version + 1, consecutive_failures = :failures, execution_time ="
                    + " least(cast(:again as timestamptz), woken_at), woken_at = null"
                    + mine
                    + " returning "
                    + ClockStore.micros("execution_time"))
            .setParameter("failures", failures)
            .setParameter("again", again.map(Instant::toString).orElse("infinity"))
            .setParameter("kind", kind)
            .setParameter("subject", subject)
            .setParameter("version", version)
            .getResultList();
    return due.isEmpty() ? Optional.empty() : Optional.of(ClockStore.instant(due.get(0)));
  }
}
