package tolvin.service.sweep;

import static org.assertj.core.api.Assertions.assertThat;

import io.quarkus.narayana.jta.QuarkusTransaction;
import io.quarkus.test.common.QuarkusTestResource;
import io.quarkus.test.junit.QuarkusTest;
import jakarta.inject.Inject;
import jakarta.persistence.EntityManager;
import java.time.Duration;
import java.time.Instant;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import java.util.Set;
import java.util.UUID;
import org.junit.jupiter.api.Test;
import tolvin.core.sweep.SweepState;
import tolvin.service.PostgresForTests;
import tolvin.service.record.sweep.SweepRow;
import tolvin.service.record.sweep.SweepStore;
import tolvin.service.store.ClockStore;

/** The list of what a sweep has still to read. */
@QuarkusTest
@QuarkusTestResource(PostgresForTests.class)
class SweepStoreTest {
  private static final int ACCOUNTS = 500;
  private static final int BATCH = 50;
  private static final Duration LEASE = Duration.ofMinutes(2);

  @Inject SweepStore store;
  @Inject ClockStore clock;
  @Inject EntityManager database;

  /**
   * The planner's idea of the table must not decide how much is taken: it had made batches larger.
   */
  @Test
  void everyAccountIsTakenOnceAndNoBatchIsLargerThanAsked() {
    QuarkusTransaction.begin();
    try {
      UUID destination = destination();
      sweep(destination, SweepState.DONE);
      sweep(destination, SweepState.DONE);
      SweepRow sweep = sweep(destination, SweepState.RUNNING);
      nestedLoopsOnly();
      Instant now = clock.now();
      List<UUID> taken = new ArrayList<>();
      Optional<SweepStore.Batch> batch = store.claim(Set.of(), BATCH, now, LEASE);
      for (; batch.isPresent(); batch = store.claim(Set.of(), BATCH, now, LEASE)) {
        assertThat(batch.get().accounts()).hasSizeBetween(1, BATCH);
        taken.addAll(batch.get().accounts());
      }
      assertThat(taken).hasSize(ACCOUNTS).doesNotHaveDuplicates();
      assertThat(store.claim(Set.of(), BATCH, now.plusSeconds(3600), LEASE))
          .as("whoever took them is gone")
          .isPresent();
      store.noteRead(sweep.id, taken.subList(0, 400), now);
      store.note(sweep.id, taken.get(400), "failed", "asleep", now);
      assertThat(store.counts(sweep)).isEqualTo(new SweepStore.Counts(99, 400, 1));
      store.clearList(sweep.id);
      assertThat(store.claim(Set.of(), BATCH, now.plusSeconds(7200), LEASE))
          .as("a sweep that has ended reads nothing more")
          .isEmpty();
      assertThat(store.failures(sweep.id, 9))
          .containsExactly(new SweepStore.Failure(taken.get(400), "asleep"));
    } finally {
      QuarkusTransaction.rollback();
    }
  }

  /**
   * Two workers that end a sweep at the same moment had ended it twice, and forgotten its counts.
   */
  @Test
  void aRowIsLockedAsItIsNow() {
    QuarkusTransaction.begin();
    UUID id = sweep(null, SweepState.DONE).id;
    QuarkusTransaction.commit();
    QuarkusTransaction.begin();
    try {
      SweepRow seen = store.get(id);
      seen.failed = 3;
      QuarkusTransaction.requiringNew().run(() -> store.lock(id).startedBy = "somebody else");
      SweepRow locked = store.lock(id);
      assertThat(locked.startedBy).isEqualTo("somebody else");
      assertThat(locked.failed).isEqualTo(3);
    } finally {
      QuarkusTransaction.rollback();
    }
  }

  private void nestedLoopsOnly() {
    for (String other : List.of("hashjoin", "mergejoin", "hashagg", "sort", "material")) {
      database.createNativeQuery("set local enable_" + other + " = off").executeUpdate();
    }
  }

  private UUID destination() {
    UUID id = UUID.randomUUID();
    run(
        "insert into destination (id, name, family, host, port, keys_path, propagation_seconds,"
            + " valid_from, version) values (:id, cast(:id as text), 'SFTP_SERVER', 'h', 22, 'k', 0,"
            + " now(), 0)",
        id);
    run(
        "insert into account (id, destination_id, login, sign_in_mode, holds, registered,"
            + " valid_from) select gen_random_uuid(), :id, 'feed' || i, 'KEY', 100, '[]', now() from"
            + " generate_series(1, "
            + ACCOUNTS
            + ") i",
        id);
    return id;
  }

  private void run(String sql, UUID id) {
    database.createNativeQuery(sql).setParameter("id", id).executeUpdate();
  }

  /** A sweep, with a list if there is anything to list; what an ended one has read stands there. */
  private SweepRow sweep(UUID destination, SweepState state) {
    SweepRow row = new SweepRow();
    row.startedAt = clock.now();
    row.id = clock.id(row.startedAt);
    row.destinationId = destination;
    row.startedBy = "test";
    row.state = state;
    row.endedAt = state.equals(SweepState.RUNNING) ? null : row.startedAt;
    store.add(row);
    store.flush();
    if (destination == null) {
      return row;
    }
    store.list(row);
    if (!state.equals(SweepState.RUNNING)) {
      run("update sweep_account set state = 'read' where sweep_id = :id", row.id);
    }
    return row;
  }
}
