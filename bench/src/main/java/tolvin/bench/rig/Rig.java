package tolvin.bench.rig;

import com.fasterxml.jackson.databind.JsonNode;
import java.io.IOException;
import java.nio.file.Path;
import java.time.Duration;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.HashSet;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Random;
import java.util.Set;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.atomic.AtomicBoolean;

/**
 * Rotates the keys of many clients on real OpenSSH servers, while faults of every kind happen at
 * any moment, real clients sign in all the time, and a program that knows nothing of Tolvin reads
 * the files.
 */
public final class Rig {
  /** Instead of a number of seconds: until every kind of fault happened once. */
  public static final long UNTIL_EVERY_FAULT_HAPPENED = 0;

  private static final long LONGEST_SHORT_RUN = 600;

  /** One in so many rotations is rolled back at some moment. */
  private static final int ROLLED_BACK = 6;

  private final Settings settings;
  private final RigEstate estate;
  private final RigServices services;
  private final RigFaults faults;
  private final Random random;
  private final Map<String, Long> rollBackAt = new HashMap<>();
  private final Set<String> seen = new HashSet<>();
  private final AtomicBoolean over = new AtomicBoolean();
  private volatile long missed;

  /**
   * How a run goes.
   *
   * @param accounts how many clients there are
   * @param seconds how long faults happen, or {@link #UNTIL_EVERY_FAULT_HAPPENED}
   * @param pause the longest pause between two faults, in milliseconds
   * @param clientSeconds how long a client waits between two sign-ins
   * @param lease how long a worker may be silent before another one takes over
   * @param seed what the faults are chosen by
   */
  public record Settings(
      int accounts, long seconds, int pause, double clientSeconds, Duration lease, long seed) {}

  private Rig(Settings settings, RigEstate estate, RigServices services) {
    this.settings = settings;
    this.estate = estate;
    this.services = services;
    this.random = new Random(settings.seed());
    this.faults = new RigFaults(estate, services, settings.seed(), settings.lease().toMillis());
  }

  /**
   * Runs it.
   *
   * @return what came of it, by what was counted
   */
  public static Map<String, Long> run(Path directory, Path root, Settings settings)
      throws Exception {
    List<String> options =
        List.of(
            "-Xmx320m",
            "-XX:TieredStopAtLevel=1",
            "-Dtolvin.runner.lease=" + settings.lease(),
            "-Dtolvin.seat.look-every=PT60S");
    try (RigEstate estate = new RigEstate(directory, root, settings.accounts());
        RigServices services = new RigServices(directory, root, options)) {
      services.startSecond();
      return new Rig(settings, estate, services).run();
    }
  }

  private Map<String, Long> run() throws Exception {
    estate.tell(services.api());
    estate.watch(settings.clientSeconds());
    Thread breaking = new Thread(this::breakThings, "faults");
    breaking.start();
    boolean isShort = settings.seconds() == UNTIL_EVERY_FAULT_HAPPENED;
    long end =
        System.nanoTime()
            + TimeUnit.SECONDS.toNanos(isShort ? LONGEST_SHORT_RUN : settings.seconds());
    while (System.nanoTime() - end < 0 && !(isShort && faults.haveAllHappened())) {
      turn(true);
      TimeUnit.MILLISECONDS.sleep(300);
    }
    over.set(true);
    breaking.join();
    services.revive();
    undo();
    long patience = System.nanoTime() + TimeUnit.SECONDS.toNanos(240);
    while (!isQuiet() && System.nanoTime() - patience < 0) {
      turn(false);
      undo();
      TimeUnit.MILLISECONDS.sleep(500);
    }
    for (int i = 0; i < 150 && heldForNothing() > 0; i++) {
      TimeUnit.SECONDS.sleep(1); // private keys are destroyed a lease later
    }
    TimeUnit.SECONDS.sleep(settings.lease().toSeconds() * 2);
    return report();
  }

  /**
   * What could not be undone since a service or the database is just coming back is undone later.
   */
  private void undo() {
    try {
      faults.undo();
    } catch (IOException away) {
      pause();
    }
  }

  private void breakThings() {
    while (!over.get()) {
      RigFaults.Fault fault = faults.choose();
      try {
        System.err.printf("%tT %s%n", System.currentTimeMillis(), fault);
        faults.make(fault);
        TimeUnit.MILLISECONDS.sleep(200 + random.nextInt(settings.pause()));
      } catch (InterruptedException e) {
        return;
      } catch (Exception e) {
        missed++;
        System.err.println("the fault " + fault + " could not be made: " + e);
      }
    }
  }

  /** Looks at what is under way: answers, rolls back, begins another one. */
  private void turn(boolean begins) {
    try {
      List<JsonNode> running = services.underWay();
      Set<String> busy = new HashSet<>();
      for (JsonNode rotation : running) {
        busy.add(rotation.path("identity").asText());
        goOn(rotation);
      }
      if (begins && running.size() < Math.max(4, settings.accounts() / 2)) {
        begin(busy);
      }
    } catch (IOException away) {
      pause();
    }
  }

  private void goOn(JsonNode rotation) throws IOException {
    String id = rotation.path("id").asText();
    if (seen.add(id) && random.nextInt(ROLLED_BACK) == 0) {
      rollBackAt.put(id, System.nanoTime() + TimeUnit.MILLISECONDS.toNanos(random.nextInt(25_000)));
    }
    if (rotation.path("direction").asText().equals("planned")) {
      services.run(id);
    } else if (rotation.hasNonNull("question")) {
      Map<String, Object> answer = new LinkedHashMap<>();
      answer.put("question", rotation.path("question").asText());
      answer.put("reason", "the rig says yes");
      services.post("/rotations/" + id + "/accept", answer);
    } else if (rollBackAt.containsKey(id) && System.nanoTime() - rollBackAt.get(id) > 0) {
      rollBackAt.remove(id);
      services.post(
          "/rotations/" + id + "/roll-back", Map.of("reason", "the rig changed its mind"));
    }
  }

  private void begin(Set<String> busy) throws IOException {
    RigEstate.Pair pair = estate.pairs.get(random.nextInt(estate.pairs.size()));
    if (busy.contains(pair.identity())) {
      return;
    }
    services.plan(pair, "PT2S");
  }

  private static void pause() {
    try {
      TimeUnit.MILLISECONDS.sleep(500);
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
    }
  }

  private boolean isQuiet() {
    try {
      return services.underWay().isEmpty();
    } catch (IOException away) {
      return false;
    }
  }

  private Map<String, Long> report() throws IOException {
    JsonNode watched = estate.stopWatching();
    JsonNode last = estate.compare(onRecord());
    SignIns signIns = SignIns.of(estate);
    long done = 0;
    long rolledBack = 0;
    long stuck = 0;
    for (JsonNode rotation : services.all("/rotations")) {
      String outcome = rotation.path("outcome").asText("");
      done += outcome.equals("done") ? 1 : 0;
      rolledBack += outcome.equals("rolled-back") ? 1 : 0;
      if (outcome.isEmpty()) {
        stuck++;
        System.err.println("stuck: " + rotation);
      }
    }
    Map<String, Long> counts = new LinkedHashMap<>();
    counts.put("rotations done", done);
    counts.put("rotations rolled back", rolledBack);
    counts.put("rotations stuck", stuck);
    faults.counts.forEach((fault, n) -> counts.put("fault " + word(fault), (long) n));
    faults.edits.forEach((edit, n) -> counts.put("edit by hand " + word(edit), (long) n));
    counts.put("faults that could not be made", missed);
    counts.put("looks of the reader", watched.path("looks").asLong());
    counts.put("law broken", watched.path("broken").asLong());
    counts.put("sign-ins", signIns.all());
    for (SignIns.Cause cause : SignIns.Cause.values()) {
      counts.put("failed sign-ins " + word(cause), (long) signIns.count(cause));
    }
    counts.put("accounts with foreign bytes changed", last.path("foreign").asLong());
    counts.put("accounts with doubled entries", last.path("doubled").asLong());
    counts.put("accounts that differ from the record", last.path("differing").asLong());
    counts.put("seats that do not work", last.path("unfit").asLong());
    counts.put("files left", last.path("left").asLong());
    counts.put("private keys of ended keys in the coffer", heldForNothing());
    return counts;
  }

  private static String word(Enum<?> value) {
    return value.name().toLowerCase(java.util.Locale.ROOT).replace('_', ' ');
  }

  /** The lines of the placements that are not over, for each login. */
  private Map<String, List<String>> onRecord() throws IOException {
    Map<String, List<String>> record = new HashMap<>();
    for (RigEstate.Pair pair : estate.pairs) {
      String account =
          services.all("/accounts?search=" + pair.login() + "@").stream()
              .filter(a -> a.path("login").asText().equals(pair.login()))
              .filter(
                  a ->
                      a.path("destinationId")
                          .asText()
                          .equals(estate.destinations.get(pair.server())))
              .map(a -> a.path("id").asText())
              .findFirst()
              .orElseThrow();
      List<String> lines = new ArrayList<>();
      for (JsonNode placement : services.get("/placements?account=" + account).path("items")) {
        if (!placement.path("state").asText().equals("withdrawn")) {
          lines.add(placement.path("line").asText());
        }
      }
      record.put(pair.login(), lines);
    }
    return record;
  }

  private long heldForNothing() throws IOException {
    return services.postgres.count(
        "select count(*) from key_record k join coffer_entry c on c.subject_id = k.id and c.purpose ="
            + " 'private half' and c.destroyed_at is null where k.ended_at is not null");
  }

  /** Prints a report as a table. */
  public static void print(Map<String, Long> counts) {
    counts.forEach((what, n) -> System.out.printf("  %-46s %,12d%n", what, n));
  }

  /** What must be zero. */
  public static List<String> broken(Map<String, Long> counts) {
    List<String> never =
        List.of(
            "rotations stuck",
            "law broken",
            "failed sign-ins refused",
            "accounts with foreign bytes changed",
            "accounts with doubled entries",
            "accounts that differ from the record",
            "seats that do not work",
            "files left",
            "private keys of ended keys in the coffer");
    return never.stream().filter(what -> counts.getOrDefault(what, -1L) != 0).toList();
  }
}
