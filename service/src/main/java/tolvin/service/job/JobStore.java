package tolvin.service.job;

import jakarta.enterprise.context.ApplicationScoped;
import jakarta.persistence.EntityManager;
import java.time.Instant;
import java.util.Collection;
import java.util.List;
import java.util.Optional;
import java.util.UUID;
import tolvin.service.store.ClockStore;
import tolvin.service.store.NewsStore;

/** The table of jobs, beside what the scheduler does with it itself. */
@ApplicationScoped
class JobStore {
  /** The table's name. */
  static final String TABLE = "job";

  /**
   * The channel on which instances tell each other of jobs, with the moment in milliseconds since
   * 1970.
   */
  static final String CHANNEL = "job";

  private final EntityManager database;
  private final NewsStore news;

  JobStore(EntityManager database, NewsStore news) {
    this.database = database;
    this.news = news;
  }

  /**
   * Has jobs done at a moment, or earlier where they are due earlier. One that is being done just
   * now is done once more after it.
   */
  void at(JobKind kind, Collection<UUID> subjects, Instant when) {
    if (subjects.isEmpty()) {
      return;
    }
    database
        .createNativeQuery(
            "insert into job (task_name, task_instance, execution_time, picked, version) select"
                + " :kind, subject, :at, false, 1 from unnest(cast(:subjects as text[])) subject"
                + " order by subject on conflict (task_name, task_instance) do update set"
                + " execution_time = case when job.picked then job.execution_time else"
                + " least(job.execution_time, excluded.execution_time) end, woken_at = case when"
                + " job.picked then least(job.woken_at, excluded.execution_time) end")
        .setParameter("kind", kind.name())
        .setParameter(
            "subjects", subjects.stream().distinct().map(UUID::toString).toArray(String[]::new))
        .setParameter("at", when)
        .executeUpdate();
    news.send(CHANNEL, String.valueOf(when.toEpochMilli()));
  }

  /**
   * Lays a job down of which a worker has done its turn. News that came meanwhile makes it due at
   * the moment of the news, if the worker says a later one or none.
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
