package tolvin.service.job;

import static tolvin.service.store.Transactions.inNewTransaction;

import com.github.kagkarlsson.scheduler.Scheduler;
import com.github.kagkarlsson.scheduler.SchedulerName;
import com.github.kagkarlsson.scheduler.task.CompletionHandler;
import com.github.kagkarlsson.scheduler.task.Execution;
import com.github.kagkarlsson.scheduler.task.ExecutionComplete;
import com.github.kagkarlsson.scheduler.task.ExecutionOperations;
import com.github.kagkarlsson.scheduler.task.Task;
import com.github.kagkarlsson.scheduler.task.helper.Tasks;
import io.quarkus.arc.All;
import io.quarkus.runtime.ShutdownEvent;
import io.quarkus.runtime.StartupEvent;
import jakarta.enterprise.context.ApplicationScoped;
import jakarta.enterprise.event.Observes;
import java.time.Duration;
import java.time.Instant;
import java.util.List;
import java.util.Optional;
import java.util.UUID;
import javax.sql.DataSource;
import org.eclipse.microprofile.config.inject.ConfigProperty;
import org.jboss.logging.Logger;
import tolvin.service.store.ClockStore;
import tolvin.service.store.News;

/**
 * Does the jobs that are due: one worker of all instances for each. An instance says at intervals
 * that it is still at its jobs; those of one that does not any more are given to others.
 *
 * <p>The table is asked when a job is due, and when a transaction of any instance says that there
 * is a new one; beside that only now and then.
 */
@ApplicationScoped
public class JobEngine {
  private static final Logger LOG = Logger.getLogger(JobEngine.class);

  /** How often the table is asked though nobody said that anything is due. */
  private static final Duration ASK_ANYWAY = Duration.ofSeconds(10);

  private static final Duration ASK_THE_TIME = Duration.ofSeconds(5);
  private static final Backoff AFTER_TROUBLE =
      new Backoff(Duration.ofSeconds(5), Duration.ofMinutes(5));
  private static final Duration LONGEST_END = Duration.ofSeconds(10);

  /** How often in a lease an instance says that it is still at its jobs. */
  private static final int TIMES_IN_A_LEASE = 12;

  /** An instance may have begun an effect right after it said so: nobody takes over sooner. */
  private static final int SILENT_INTERVALS = TIMES_IN_A_LEASE + 1;

  private final List<JobHandler> handlers;
  private final DataSource database;
  private final JobStore store;
  private final ClockStore clock;
  private final News news;
  private final int workers;
  private final Duration lease;
  private final boolean enabled;
  private volatile boolean ending;
  private Scheduler scheduler;
  private InstalledClock now;
  private Alarm alarm;

  JobEngine(
      @All List<JobHandler> handlers,
      DataSource database,
      JobStore store,
      ClockStore clock,
      News news,
      @ConfigProperty(name = "tolvin.runner.workers") int workers,
      @ConfigProperty(name = "tolvin.runner.lease") Duration lease,
      @ConfigProperty(name = "tolvin.runner.enabled") boolean enabled) {
    this.handlers = handlers;
    this.database = database;
    this.store = store;
    this.clock = clock;
    this.news = news;
    this.workers = workers;
    this.lease = lease;
    this.enabled = enabled;
  }

  void start(@Observes StartupEvent event) {
    if (!enabled) {
      return;
    }
    now = new InstalledClock(() -> inNewTransaction(clock::now), ASK_THE_TIME);
    scheduler =
        Scheduler.create(database, handlers.stream().<Task<?>>map(this::task).toList())
            .tableName(JobStore.TABLE)
            .schedulerName(new SchedulerName.Fixed(UUID.randomUUID().toString()))
            .threads(workers)
            .pollUsingLockAndFetch(0.5, 1.0)
            .pollingInterval(ASK_ANYWAY)
            .heartbeatInterval(lease.dividedBy(TIMES_IN_A_LEASE))
            .missedHeartbeatsLimit(SILENT_INTERVALS)
            .shutdownMaxWait(LONGEST_END)
            .clock(now::now)
            .build();
    alarm = new Alarm(scheduler::triggerCheckForDueExecutions, now, ASK_ANYWAY);
    inNewTransaction(
        () -> {
          Instant begun = clock.now();
          handlers.forEach(h -> store.at(h.kind(), h.always(), begun));
          return null;
        });
    scheduler.start();
    news.listen(JobStore.CHANNEL, at -> alarm.set(moment(at)));
  }

  private Instant moment(String heard) {
    return heard.equals(News.ANYTHING) ? now.now() : Instant.ofEpochMilli(Long.parseLong(heard));
  }

  void stop(@Observes ShutdownEvent event) {
    ending = true;
    if (scheduler != null) {
      alarm.close();
      scheduler.stop();
    }
  }

  private Task<Void> task(JobHandler handler) {
    return Tasks.custom(handler.kind().name(), Void.class)
        .onFailure(this::failed)
        .onDeadExecutionRevive()
        .execute(
            (instance, context) -> {
              Optional<Duration> again =
                  handler.run(UUID.fromString(instance.getId()), () -> ending);
              return (CompletionHandler<Void>) (done, job) -> layDown(done, again, 0);
            });
  }

  /** A worker that is lost leaves its job as it is; it is given to another one a lease later. */
  private void failed(ExecutionComplete done, ExecutionOperations<Void> job) {
    if (done.getCause().filter(Error.class::isInstance).isEmpty()) {
      int failures = done.getExecution().consecutiveFailures + 1;
      layDown(done, Optional.of(AFTER_TROUBLE.after(failures - 1)), failures);
    }
  }

  private void layDown(ExecutionComplete done, Optional<Duration> again, int failures) {
    Execution held = done.getExecution();
    inNewTransaction(
            () ->
                store.layDown(
                    held.getTaskName(),
                    held.getId(),
                    held.version,
                    again.map(now.now()::plus),
                    failures))
        .ifPresent(alarm::set);
  }
}
