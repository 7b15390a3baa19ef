package tolvin.bench.rig;

import java.nio.file.Path;
import java.util.List;
import java.util.Set;
import java.util.concurrent.TimeUnit;
import java.util.stream.Collectors;
import tolvin.standins.local.LocalPostgres;

/**
 * What a rotation costs when its account has seen none before, and when it has seen five thousand:
 * the CPU time of the service and of the database, in the same run. The history is written by SQL,
 * as the rotations would have left it.
 */
public final class History {
  private static final int ROTATIONS = 10;
  private static final int BEFORE = 5000;

  private History() {}

  /** Runs it. */
  public static void run(Path directory, Path root) throws Exception {
    try (RigEstate estate = new RigEstate(directory, root, 2);
        RigServices services = new RigServices(directory, root, List.of("-Xmx384m"))) {
      estate.tell(services.api());
      estate.watch(2);
      RigEstate.Pair pair = estate.pairs.get(0);
      cost(services, pair, ROTATIONS * 2); // warms up
      Cost first = cost(services, pair, ROTATIONS);
      write(services.postgres, pair.identity());
      cost(services, pair, 1);
      Cost later = cost(services, pair, ROTATIONS);
      System.out.printf(
          "One rotation with a short history, and behind %,d rotations of the same account:%n"
              + "  CPU of service and database %.2f s, %.2f s: %.2f times (the service still warms up)%n"
              + "  rows that the database read %,d, %,d: %.2f times%n",
          BEFORE,
          first.cpu(),
          later.cpu(),
          later.cpu() / first.cpu(),
          first.rows(),
          later.rows(),
          (double) later.rows() / first.rows());
    }
  }

  /**
   * What one rotation costs.
   *
   * @param cpu seconds
   * @param rows that the database read, from tables and by indexes
   */
  private record Cost(double cpu, long rows) {}

  private static long rows(RigServices services) throws java.io.IOException {
    return services.postgres.count(
        "select sum(seq_tup_read + coalesce(idx_tup_fetch, 0)) from pg_stat_user_tables");
  }

  private static Cost cost(RigServices services, RigEstate.Pair pair, int rotations)
      throws Exception {
    double idle = idle(services);
    double before = cpu(services);
    long read = rows(services);
    long begun = System.nanoTime();
    for (int i = 0; i < rotations; i++) {
      rotate(services, pair);
    }
    double seconds = (System.nanoTime() - begun) / 1e9;
    return new Cost(
        (cpu(services) - before - idle * seconds) / rotations, (rows(services) - read) / rotations);
  }

  /** What goes on anyway, for each second. */
  private static double idle(RigServices services) throws Exception {
    double before = cpu(services);
    Thread.sleep(8000);
    return (cpu(services) - before) / 8;
  }

  private static double cpu(RigServices services) throws Exception {
    Set<Long> database =
        ProcessHandle.of(services.postgres.pid()).stream()
            .flatMap(ProcessHandle::children)
            .map(ProcessHandle::pid)
            .collect(Collectors.toSet());
    double sum = services.cpuSeconds();
    for (long pid : database) {
      sum +=
          ProcessHandle.of(pid)
              .flatMap(p -> p.info().totalCpuDuration())
              .map(d -> d.toMillis() / 1000.0)
              .orElse(0.0);
    }
    return sum;
  }

  private static void rotate(RigServices services, RigEstate.Pair pair) throws Exception {
    services.run(services.plan(pair, "PT0S"));
    // the list, seldom: asking for one rotation works its guards out, and would be measured too
    while (!services.underWay().isEmpty()) {
      TimeUnit.MILLISECONDS.sleep(500);
    }
  }

  /** Keys, placements, rotations, attempts, trials, uses and messages of so many rotations. */
  private static void write(LocalPostgres postgres, String identity) throws Exception {
    String of = "(select id from identity where name = '" + identity + "')";
    String account =
        "(select account_id from placement p join key_record k on k.id = p.key_id where"
            + " k.identity_id = "
            + of
            + " limit 1)";
    List<String> statements =
        List.of(
            "create table h as select i, gen_random_uuid() key_id, gen_random_uuid() next_id,"
                + " gen_random_uuid() rotation_id, now() - (i || ' hours')::interval as at from"
                + " generate_series(1, "
                + BEFORE
                + ") i",
            "insert into key_record (id, fingerprint, md5, type, bits, blob, comment, identity_id,"
                + " custody, made_at, registered_at, ended_at, ended_because) select key_id,"
                + " 'SHA256:' || left(encode(sha256(key_id::text::bytea), 'base64'), 43), 'MD5:' ||"
                + " md5(key_id::text), 'ssh-ed25519', 256, '\\x00', 'former', "
                + of
                + ", 'COFFER', at, at, at, 'replaced by a rotation' from h",
            "insert into rotation (id, old_key_id, new_key_id, direction, stage, watch_seconds, reason,"
                + " ticket, by_itself, planned_at, started_at, ended_at, outcome, needs_person,"
                + " approved, accepted) select rotation_id, key_id, key_id,"
                + " 'RUNNING', 'DONE', 1, 'past', '', true, at, at, at, 'DONE', false, '[]', '[]'"
                + " from h",
            "insert into placement (id, key_id, account_id, rotation_id, state, title, purpose,"
                + " mark, line, wanted_at, placed_at, withdrawn_at) select next_id,"
                + " key_id, "
                + account
                + ", rotation_id, 'WITHDRAWN', 'past', 'SIGN_IN', 'tolvin:past', 'past', at, at,"
                + " at from h",
            "insert into attempt (id, rotation_id, kind, key, account_id, intent, state_before, worker,"
                + " lease_until, started_at, ended_at, outcome, reason, changes) select"
                + " gen_random_uuid(), rotation_id, 'PLACE', 'SHA256:' || key_id, "
                + account
                + ", 'past', '[]', 'past', at, at, at, 'DONE', '', true from h, generate_series(1,"
                + " 14)",
            "insert into trial (id, account_id, key_id, made_at, accepted, answer, local_port,"
                + " seen_at) select gen_random_uuid(), "
                + account
                + ", key_id, at, true, 'authenticated', 1, at from h, generate_series(1, 2)",
            "insert into use_seen (id, account_id, fingerprint, address, first_at, earliest, latest,"
                + " count) select gen_random_uuid(), "
                + account
                + ", 'SHA256:' || left(encode(sha256(key_id::text::bytea), 'base64'), 43),"
                + " '127.0.1.1', at, at, at, 9 from h",
            "insert into outbox (at, topic, text) select now(), 'past', 'past' from h,"
                + " generate_series(1, 20)",
            "analyze");
    for (String statement : statements) {
      postgres.execute(statement);
    }
  }
}
