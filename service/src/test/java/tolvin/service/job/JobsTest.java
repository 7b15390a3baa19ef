package tolvin.service.job;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;
import static tolvin.service.store.Transactions.inNewTransaction;

import io.quarkus.test.common.QuarkusTestResource;
import io.quarkus.test.junit.QuarkusTest;
import jakarta.inject.Inject;
import java.io.IOException;
import java.io.UncheckedIOException;
import java.time.Duration;
import java.time.Instant;
import java.util.List;
import java.util.Optional;
import java.util.Random;
import java.util.UUID;
import java.util.concurrent.CompletableFuture;
import org.junit.jupiter.api.Test;
import tolvin.service.PostgresForTests;
import tolvin.service.store.ClockStore;
import tolvin.standins.local.Ports;

/**
 * When jobs are due, against the engine that does them meanwhile. The kind that is used here is
 * done at once and then due again five minutes later, whatever its subject is.
 */
@QuarkusTest
@QuarkusTestResource(PostgresForTests.class)
class JobsTest {
  private static final JobKind KIND = JobKind.SWEEP_READING;
  private static final Duration LATER = Duration.ofHours(1);
  private static final int ROUNDS = 120;

  @Inject Jobs jobs;
  @Inject JobStore store;
  @Inject ClockStore clock;

  private static String execute(String statement) {
    try {
      return PostgresForTests.postgres.execute(statement).strip();
    } catch (IOException e) {
      throw new UncheckedIOException(e);
    }
  }

  /** A job that a worker is at. */
  private static UUID held(long version) {
    UUID subject = UUID.randomUUID();
    execute(
        "insert into job (task_name, task_instance, execution_time, picked, picked_by,"
            + " last_heartbeat, version) values ('%s', '%s', now(), true, 'a test', now() + interval"
                .formatted(KIND, subject)
            + " '1 hour', "
            + version
            + ")");
    return subject;
  }

  private static String of(UUID subject, String what) {
    return execute("select " + what + " from job where task_instance = '" + subject + "'");
  }

  private Instant now() {
    return inNewTransaction(clock::now);
  }

  private Optional<Instant> layDown(UUID subject, long version, Optional<Instant> again) {
    return inNewTransaction(
        () -> store.layDown(KIND.name(), subject.toString(), version, again, 0));
  }

  @Test
  void newsThatComesWhileAWorkerIsAtItIsNeverLost() {
    Random random = new Random(7);
    for (int i = 0; i < ROUNDS; i++) {
      UUID subject = held(7);
      Optional<Instant> again =
          random.nextBoolean() ? Optional.of(now().plus(LATER)) : Optional.empty();
      CompletableFuture<Void> news =
          CompletableFuture.runAsync(() -> jobs.wake(KIND, List.of(subject)));
      layDown(subject, 7, again);
      news.join();
      Ports.await(
          "the news is heard, round " + i,
          Duration.ofSeconds(30),
          () -> of(subject, "execution_time < now() + interval '10 minutes'").equals("t"));
    }
    execute(
        "delete from job where task_name = '" + KIND + "' and task_instance not like '00000000%'");
  }

  @Test
  void aJobIsDoneAtTheEarlierOfTwoMoments() {
    UUID subject = UUID.randomUUID();
    Instant late = now().plus(LATER);
    Instant early = late.minusSeconds(600);
    for (Instant when : List.of(late, early, late)) {
      inNewTransaction(
          () -> {
            jobs.add(KIND, subject, when);
            return null;
          });
    }
    assertThat(of(subject, ClockStore.micros("execution_time")))
        .isEqualTo(String.valueOf(early.toEpochMilli() * 1000 + early.getNano() / 1000 % 1000));
  }

  @Test
  void aWorkerThatLostItsJobChangesNothingOfIt() {
    UUID subject = held(8);
    assertThat(layDown(subject, 7, Optional.of(now()))).isEmpty();
    assertThat(layDown(subject, 7, Optional.empty())).isEmpty();
    assertThat(of(subject, "picked_by, version")).isEqualTo("a test|8");
    assertThat(layDown(subject, 8, Optional.empty())).isEmpty();
    assertThat(of(subject, "version")).as("what is over is gone").isEmpty();
  }

  @Test
  void whatIsRolledBackIsNeitherAddedNorTold() {
    UUID added = UUID.randomUUID();
    UUID woken = UUID.randomUUID();
    UUID afterwards = UUID.randomUUID();
    assertThatThrownBy(
            () ->
                inNewTransaction(
                    () -> {
                      jobs.add(KIND, added, clock.now());
                      jobs.wake(KIND, woken);
                      throw new IllegalStateException("no");
                    }))
        .hasMessageContaining("no");
    jobs.wake(KIND, afterwards); // told one after the other
    Ports.await(
        "the next news", Duration.ofSeconds(30), () -> !of(afterwards, "version").isEmpty());
    assertThat(of(added, "version")).isEmpty();
    assertThat(of(woken, "version")).isEmpty();
  }
}
