package tolvin.bench;

import com.fasterxml.jackson.databind.JsonNode;
import java.io.IOException;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.Collections;
import java.util.HexFormat;
import java.util.List;
import java.util.function.IntFunction;
import tolvin.core.pair.KeyPairMaker;
import tolvin.core.pair.SecretPair;
import tolvin.standins.demo.Api;
import tolvin.standins.local.LocalPostgres;
import tolvin.standins.local.LocalService;
import tolvin.standins.local.Ports;

/**
 * A large estate: what lists, searches and pages cost beside the bare SQL behind them, in the same
 * run. The estate is written by SQL.
 */
final class EstateBench {
  private static final int KEYS = 100_000;
  private static final int IDENTITIES = 60_000;
  private static final int DESTINATIONS = 2_000;
  private static final int ACCOUNTS = 300_000;
  private static final int PLACEMENTS = 1_000_000;
  private static final int USES = 2_000_000;
  private static final int TIMES = 60;

  private EstateBench() {}

  /** A call of the API, and the statement behind it. */
  private record Measured(String name, IntFunction<String> call, IntFunction<String> sql) {}

  /** Runs it. */
  static void run(Path directory, Path root) throws Exception {
    int port = Ports.free();
    Path data = directory.resolve("estate");
    java.nio.file.Files.createDirectories(data);
    try (LocalPostgres postgres = LocalPostgres.start(data.resolve("postgres"), Ports.free())) {
      Process service = start(postgres, data, root, port); // makes the tables
      end(service);
      long begun = System.nanoTime();
      write(postgres);
      System.out.printf(
          "%,d keys, %,d identities, %,d accounts on %,d destinations, %,d placements, %,d uses written"
              + " in %.0f s%n",
          KEYS, IDENTITIES, ACCOUNTS, DESTINATIONS, PLACEMENTS, USES, seconds(begun));
      begun = System.nanoTime();
      service = start(postgres, data, root, port);
      System.out.printf("start to ready: %.1f s%n", seconds(begun));
      Api api = LocalService.api(data, port);
      begun = System.nanoTime();
      Ports.await(
          "all due dates are worked out",
          java.time.Duration.ofMinutes(10),
          () -> isKnown(postgres));
      System.out.printf("due dates of all keys worked out: %.1f s%n", seconds(begun));
      for (Measured one : calls()) {
        measure(api, postgres, one);
      }
      double before = cpu(service);
      begun = System.nanoTime();
      Thread.sleep(20_000);
      System.out.printf(
          "idle: %.1f %% of a core; heap limit 384 MB%n",
          (cpu(service) - before) / seconds(begun) * 100);
      end(service);
    }
  }

  private static boolean isKnown(LocalPostgres postgres) {
    try {
      return postgres.count(
              "select count(*) from (select 1 from key_record where ended_at is null and due_by is"
                  + " null limit 1) x")
          == 0;
    } catch (IOException e) {
      throw new java.io.UncheckedIOException(e);
    }
  }

  private static List<Measured> calls() {
    return List.of(
        new Measured(
            "keys, the newest",
            i -> "/keys?limit=50",
            i -> "select * from key_record where ended_at is null order by id desc limit 51"),
        new Measured(
            "keys, by a part of a comment",
            i -> "/keys?limit=50&search=oats-" + (1000 + i * 997),
            i ->
                "select * from key_record where ended_at is null and lower(comment || ' ' || type)"
                    + " like '%oats-"
                    + (1000 + i * 997)
                    + "%' order by id desc limit 51"),
        new Measured(
            "keys, by an identity's team",
            i -> "/keys?limit=50&search=team-" + (i * 7 % 600) + "x",
            i ->
                "select k.* from key_record k join identity h on h.id = k.identity_id where"
                    + " k.ended_at is null and lower(h.name || ' ' || h.team) like '%team-"
                    + (i * 7 % 600)
                    + "x%' order by k.id desc limit 51"),
        new Measured(
            "identities, by a part of a name",
            i -> "/identities?limit=50&search=feed-" + (1000 + i * 997),
            i ->
                "select * from identity where valid_until is null and lower(name || ' ' || team) like"
                    + " '%feed-"
                    + (1000 + i * 997)
                    + "%' order by id desc limit 51"),
        new Measured(
            "accounts, by a part of a login",
            i -> "/accounts?limit=50&search=in-" + (1000 + i * 4999),
            i ->
                "select * from account where valid_until is null and login like '%in-"
                    + (1000 + i * 4999)
                    + "%' order by id desc limit 51"),
        new Measured(
            "Today",
            i -> "/today",
            i ->
                "select * from key_record where ended_at is null and due_at < now() + interval '30"
                    + " days' order by due_at limit 200"),
        new Measured(
            "journal, the newest",
            i -> "/journal?limit=50",
            i -> "select * from journal_entry order by number desc limit 51"));
  }

  private static void measure(Api api, LocalPostgres postgres, Measured one) throws Exception {
    List<Double> called = new ArrayList<>();
    List<Double> bare = new ArrayList<>();
    long items = 0;
    for (int i = 0; i < TIMES; i++) {
      long begun = System.nanoTime();
      JsonNode answer = api.get(one.call().apply(i));
      if (i >= TIMES / 3) { // the first ones warm up
        called.add(seconds(begun) * 1000);
        bare.add(executed(postgres, one.sql().apply(i)));
      }
      items += answer.path("items").size();
    }
    Collections.sort(called);
    Collections.sort(bare);
    System.out.printf(
        "  %-34s %7.1f ms median, %7.1f ms at most; bare SQL %7.1f ms, %7.1f ms; %d items%n",
        one.name(),
        called.get(called.size() / 2),
        called.get(called.size() - 1),
        bare.get(bare.size() / 2),
        bare.get(bare.size() - 1),
        items);
  }

  /** What the database itself says that a statement took, in milliseconds. */
  private static double executed(LocalPostgres postgres, String sql) throws IOException {
    String plan = postgres.execute("explain (analyze, timing off, summary on) " + sql);
    return plan.lines()
        .filter(line -> line.startsWith("Execution Time: ") || line.startsWith("Planning Time: "))
        .mapToDouble(line -> Double.parseDouble(line.split(" ")[2]))
        .sum();
  }

  private static void write(LocalPostgres postgres) throws Exception {
    String blob;
    try (SecretPair pair = KeyPairMaker.ed25519(new java.security.SecureRandom())) {
      blob = HexFormat.of().formatHex(pair.key().blob());
    }
    List<String> statements =
        List.of(
            "insert into identity (id, kind, name, team, responsible, valid_from) select "
                + uuid("i")
                + ", case when i % 10 = 0 then 'PERSON' else 'SERVICE_ACCOUNT' end, 'feed-' || i,"
                + " 'team-' || i % 600 || 'x', 'Isla Renwick', now() from "
                + series(IDENTITIES),
            "insert into key_record (id, fingerprint, md5, type, bits, blob, comment, identity_id,"
                + " custody, made_at, registered_at) select "
                + uuid("k")
                + ", 'SHA256:' || left(encode(sha256(i::text::bytea), 'base64'), 43), 'MD5:' ||"
                + " md5(i::text), 'ssh-ed25519', 256, '\\x"
                + blob
                + "', 'boats-' || i, "
                + uuid("i", "1 + i % " + IDENTITIES)
                + ", 'COFFER', now() - (i % 400 || ' days')::interval, now() from "
                + series(KEYS),
            "insert into destination (id, name, family, host, port, keys_path, propagation_seconds,"
                + " valid_from, version) select "
                + uuid("d")
                + ", 'quay-' || i || '.example', 'SFTP_SERVER', '127.0.0.1', 9, '/k', 0, now(), 0"
                + " from "
                + series(DESTINATIONS),
            "insert into account (id, destination_id, login, sign_in_mode, holds, registered, read_at,"
                + " valid_from) select "
                + uuid("a")
                + ", "
                + uuid("d", "1 + i % " + DESTINATIONS)
                + ", 'login-' || i, 'KEY', 9, '[]', now(), now() from "
                + series(ACCOUNTS),
            "insert into placement (id, key_id, account_id, state, title, purpose, mark, line,"
                + " wanted_at, placed_at) select "
                + uuid("p")
                + ", "
                + uuid("k", "1 + i % " + KEYS)
                + ", "
                + uuid("a", "1 + (i * 7 + i / 100000) % " + ACCOUNTS)
                + ", 'PLACED', 'boats', 'SIGN_IN', 'tolvin:' || i, 'line', now(), now() from "
                + series(PLACEMENTS)
                + " on conflict do nothing",
            "insert into use_seen (id, account_id, fingerprint, address, first_at, earliest, latest,"
                + " count) select "
                + uuid("u")
                + ", "
                + uuid("a", "1 + i % " + ACCOUNTS)
                + ", 'SHA256:' || left(encode(sha256((1 + i % "
                + KEYS
                + ")::text::bytea), 'base64'), 43), '10.0.' || i % 200 || '.' || i / 10000, now(),"
                + " now(), now(), 1 from "
                + series(USES),
            "vacuum analyze");
    for (String statement : statements) {
      postgres.execute(statement);
    }
  }

  private static String series(int count) {
    return "generate_series(1, " + count + ") i";
  }

  private static String uuid(String kind) {
    return uuid(kind, "i");
  }

  /** An id that sorts by number, as real ones sort by time. */
  private static String uuid(String kind, String number) {
    return "(lpad(to_hex(" + number + "), 12, '0') || substr(md5('" + kind + "'), 1, 20))::uuid";
  }

  private static Process start(LocalPostgres postgres, Path data, Path root, int port)
      throws IOException {
    return LocalService.start(postgres, data, root, port, "-Xmx384m");
  }

  private static void end(Process process) throws InterruptedException {
    process.destroy();
    process.waitFor();
  }

  private static double cpu(Process process) {
    return process.info().totalCpuDuration().map(d -> d.toMillis() / 1000.0).orElse(0.0);
  }

  private static double seconds(long begun) {
    return (System.nanoTime() - begun) / 1e9;
  }
}
