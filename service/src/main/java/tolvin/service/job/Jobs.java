package tolvin.service.job;

import static tolvin.service.store.Transactions.inNewTransaction;

import io.quarkus.runtime.ShutdownEvent;
import jakarta.enterprise.context.ApplicationScoped;
import jakarta.enterprise.event.Observes;
import jakarta.transaction.Status;
import jakarta.transaction.Synchronization;
import jakarta.transaction.TransactionSynchronizationRegistry;
import java.time.Duration;
import java.time.Instant;
import java.util.Collection;
import java.util.List;
import java.util.UUID;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import java.util.function.UnaryOperator;
import org.jboss.logging.Logger;
import tolvin.service.store.ClockStore;

/** Says what is to be done, and when. */
@ApplicationScoped
public class Jobs {
  private static final Logger LOG = Logger.getLogger(Jobs.class);

  private final JobStore store;
  private final TransactionSynchronizationRegistry transactions;
  private final ClockStore clock;
  private final ExecutorService wakes =
      Executors.newSingleThreadExecutor(task -> new Thread(task, "job-wakes"));

  Jobs(JobStore store, TransactionSynchronizationRegistry transactions, ClockStore clock) {
    this.store = store;
    this.transactions = transactions;
    this.clock = clock;
  }

  void stop(@Observes ShutdownEvent event) {
    wakes.shutdown();
  }

  /**
   * Adds a job, in the transaction that makes it necessary: neither is there without the other. One
   * that is there already is done at the earlier moment of both.
   */
  public void add(JobKind kind, UUID subject, Instant when) {
    store.at(kind, List.of(subject), when);
  }

  /**
   * There is news for jobs: they are done now instead of at their next turn. It is written after
   * the transaction, so that no transaction waits for a row that another one holds; a service that
   * ends in between loses the news, and comes to it at the job's own next turn.
   */
  public void wake(JobKind kind, Collection<UUID> subjects) {
    afterwards(kind, subjects, UnaryOperator.identity());
  }

  /** Likewise for one job. */
  public void wake(JobKind kind, UUID subject) {
    wake(kind, List.of(subject));
  }

  /** Likewise, for a moment that is still to come. */
  public void wakeAt(JobKind kind, UUID subject, Instant when) {
    afterwards(kind, List.of(subject), now -> when);
  }

  /** Likewise, for a while from now. */
  public void wakeAfter(JobKind kind, UUID subject, Duration pause) {
    afterwards(kind, List.of(subject), now -> now.plus(pause));
  }

  /** The moment is worked out when the news is written, since that asks the database. */
  private void afterwards(JobKind kind, Collection<UUID> subjects, UnaryOperator<Instant> when) {
    if (subjects.isEmpty()) {
      return;
    }
    List<UUID> all = List.copyOf(subjects);
    if (transactions.getTransactionStatus() == Status.STATUS_NO_TRANSACTION) {
      write(kind, all, when);
      return;
    }
    transactions.registerInterposedSynchronization(
        new Synchronization() {
          @Override
          public void beforeCompletion() {
            // the news is known already
          }

          @Override
          public void afterCompletion(int status) {
            if (status == Status.STATUS_COMMITTED) {
              write(kind, all, when);
            }
          }
        });
  }

  private void write(JobKind kind, List<UUID> subjects, UnaryOperator<Instant> when) {
    if (wakes.isShutdown()) {
      return;
    }
    wakes.execute(
        () -> {
          try {
            inNewTransaction(
                () -> {
                  store.at(kind, subjects, when.apply(clock.now()));
                  return null;
                });
          } catch (RuntimeException e) {
            LOG.warnf("News for %s is lost until its next turn: %s", kind, e.getMessage());
          }
        });
  }
}
