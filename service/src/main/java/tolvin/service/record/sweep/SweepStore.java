package tolvin.service.record.sweep;

import jakarta.enterprise.context.ApplicationScoped;
import java.time.Duration;
import java.time.Instant;
import java.util.ArrayList;
import java.util.Collection;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.UUID;
import tolvin.api.Page;
import tolvin.core.sweep.SweepState;
import tolvin.service.store.ClockStore;
import tolvin.service.store.RowStore;

/** Sweeps and how far they are. */
@ApplicationScoped
public class SweepStore extends RowStore<SweepRow> {
  SweepStore() {
    super(SweepRow.class, "sweep");
  }

  public Page<SweepRow> page(UUID after, int limit) {
    return page("true = true", Map.of(), after, limit);
  }

  public Optional<SweepRow> running(UUID destination) {
    return destination == null
        ? one("r.state = RUNNING and r.destinationId is null", Map.of())
        : one("r.state = RUNNING and r.destinationId = :d", Map.of("d", destination));
  }

  public List<SweepRow> allRunning() {
    return list("r.state = RUNNING", Map.of());
  }

  /** When a sweep of everything was started last. */
  public Optional<Instant> lastOfAll() {
    return Optional.ofNullable(
        database
            .createQuery(
                "select max(r.startedAt) from SweepRow r where r.destinationId is null",
                Instant.class)
            .getSingleResult());
  }

  /** Puts the accounts of a sweep on its list, those of partners left out: nobody can look. */
  public int list(SweepRow sweep) {
    int listed = listAll(sweep);
    // PostgreSQL has never heard of this sweep, and would plan for one with no accounts
    database.createNativeQuery("analyze sweep_account").executeUpdate();
    return listed;
  }

  private int listAll(SweepRow sweep) {
    return database
        .createNativeQuery(
            "insert into sweep_account (sweep_id, account_id, destination_id, state) select"
                + " cast(:sweep as uuid), a.id, a.destination_id, 'due' from account a join"
                + " destination d on d.id = a.destination_id where a.valid_until is null and"
                + " d.valid_until is null and d.family <> 'PARTNER' and (cast(:at as uuid) is null"
                + " or d.id = cast(:at as uuid))")
        .setParameter("sweep", sweep.id)
        .setParameter("at", sweep.destinationId)
        .executeUpdate();
  }

  /**
   * Accounts to read next.
   *
   * @param beginsIn when the first of them may be read; whoever else reads there comes before or
   *     behind
   */
  public record Batch(UUID sweep, UUID destination, List<UUID> accounts, Duration beginsIn) {}

  /**
   * Some accounts of one destination that nobody else reads, with turns of their own there: all
   * instances together read no more in a second than the destination bears.
   *
   * @param lease how long reading them may take from the first turn on
   */
  public Optional<Batch> claim(Set<UUID> busy, int most, Instant now, Duration lease) {
    List<?> first =
        database
            .createNativeQuery(
                "select sweep_id, destination_id from sweep_account where state = 'due' and"
                    + " (lease_until is null or lease_until < :now) and not (destination_id ="
                    + " any(cast(:busy as uuid[]))) limit 1 for no key update skip locked")
            .setParameter("now", now)
            .setParameter("busy", array(busy))
            .getResultList();
    if (first.isEmpty()) {
      return Optional.empty();
    }
    Object[] row = (Object[]) first.get(0);
    UUID sweep = (UUID) row[0];
    UUID destination = (UUID) row[1];
    Duration step = Duration.ofSeconds(1).dividedBy(readsPerSecond(destination));
    Instant begins = turns(destination, now, step.multipliedBy(most));
    List<?> accounts =
        database
            .createNativeQuery(
                "with batch as materialized (select ctid from sweep_account where sweep_id = :sweep"
                    + " and destination_id = :at and state = 'due' and (lease_until is null or"
                    + " lease_until < :now) limit :most for no key update skip locked) update"
                    + " sweep_account s set lease_until = :until from batch where s.ctid ="
                    + " batch.ctid returning s.account_id")
            .setParameter("until", begins.plus(step.multipliedBy(most)).plus(lease))
            .setParameter("now", now)
            .setParameter("sweep", sweep)
            .setParameter("at", destination)
            .setParameter("most", most)
            .getResultList();
    return Optional.of(
        new Batch(
            sweep,
            destination,
            accounts.stream().map(UUID.class::cast).toList(),
            Duration.between(now, begins)));
  }

  private int readsPerSecond(UUID destination) {
    return database
        .createQuery(
            "select d.readsPerSecond from DestinationRow d where d.id = :id", Integer.class)
        .setParameter("id", destination)
        .getSingleResult();
  }

  /** Takes the next free turns on a destination. */
  private Instant turns(UUID destination, Instant now, Duration taken) {
    Object next =
        database
            .createNativeQuery(
                "insert into reading_turn as t (destination_id, free_from) values (:d,"
                    + " cast(:now as timestamptz) + cast(:taken as interval)) on conflict"
                    + " (destination_id) do update set free_from = greatest(t.free_from, :now) +"
                    + " cast(:taken as interval) returning "
                    + ClockStore.micros("free_from"))
            .setParameter("d", destination)
            .setParameter("now", now)
            .setParameter("taken", taken.toString())
            .getSingleResult();
    return ClockStore.instant(next).minus(taken);
  }

  /**
   * What nobody has read there yet is not read in this sweep. The rows are locked in the order of
   * their accounts, so that two workers who both gave up there wait for each other in one
   * direction.
   */
  public void noteRest(UUID sweep, UUID destination, String reason, Instant at) {
    database
        .createNativeQuery(
            "update sweep_account set state = 'failed', reason = :reason, at = :at, lease_until ="
                + " null where sweep_id = :sweep and account_id in (select account_id from"
                + " sweep_account where sweep_id = :sweep and destination_id = :d and state = 'due'"
                + " order by account_id for update)")
        .setParameter("reason", reason)
        .setParameter("at", at)
        .setParameter("sweep", sweep)
        .setParameter("d", destination)
        .executeUpdate();
  }

  private static String array(Collection<UUID> ids) {
    return "{" + String.join(",", ids.stream().map(UUID::toString).toList()) + "}";
  }

  /** Notes that some accounts were read. */
  public void noteRead(UUID sweep, Collection<UUID> accounts, Instant at) {
    database
        .createNativeQuery(
            "update sweep_account set state = 'read', reason = null, at = :at, lease_until = null"
                + " where sweep_id = :sweep and account_id = any(cast(:accounts as uuid[]))")
        .setParameter("at", at)
        .setParameter("sweep", sweep)
        .setParameter("accounts", array(accounts))
        .executeUpdate();
  }

  /** Notes how the reading of an account went. */
  public void note(UUID sweep, UUID account, String state, String reason, Instant at) {
    database
        .createNativeQuery(
            "update sweep_account set state = :state, reason = :reason, at = :at, lease_until ="
                + " null where sweep_id = :sweep and account_id = :account")
        .setParameter("state", state)
        .setParameter("reason", reason)
        .setParameter("at", at)
        .setParameter("sweep", sweep)
        .setParameter("account", account)
        .executeUpdate();
  }

  /** How many accounts of a sweep are due, were read, and could not be read. */
  public record Counts(int due, int read, int failed) {}

  public Counts counts(SweepRow sweep) {
    if (sweep.state != SweepState.RUNNING) {
      return new Counts(sweep.due, sweep.read, sweep.failed);
    }
    Map<String, Integer> counts = new HashMap<>();
    for (Object found :
        database
            .createNativeQuery(
                "select state, count(*) from sweep_account where sweep_id = :id group by state")
            .setParameter("id", sweep.id)
            .getResultList()) {
      Object[] row = (Object[]) found;
      counts.put((String) row[0], ((Number) row[1]).intValue());
    }
    return new Counts(
        counts.getOrDefault("due", 0),
        counts.getOrDefault("read", 0),
        counts.getOrDefault("failed", 0));
  }

  /** Clears the list of a sweep that ends: nothing more is read, and what failed is told. */
  public void clearList(UUID sweep) {
    database
        .createNativeQuery("delete from sweep_account where sweep_id = :id and state <> 'failed'")
        .setParameter("id", sweep)
        .executeUpdate();
  }

  /** An account that could not be read, and why. */
  public record Failure(UUID account, String reason) {}

  /** The accounts that could not be read. */
  public List<Failure> failures(UUID sweep, int most) {
    List<Failure> failures = new ArrayList<>();
    for (Object found :
        database
            .createNativeQuery(
                "select account_id, reason from sweep_account where sweep_id = :id and state ="
                    + " 'failed' order by at limit :most")
            .setParameter("id", sweep)
            .setParameter("most", most)
            .getResultList()) {
      Object[] row = (Object[]) found;
      failures.add(new Failure((UUID) row[0], (String) row[1]));
    }
    return failures;
  }
}
