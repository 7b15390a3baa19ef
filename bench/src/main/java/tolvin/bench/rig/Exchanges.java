package tolvin.bench.rig;

import com.fasterxml.jackson.databind.JsonNode;
import java.nio.file.Path;
import java.util.HashMap;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.concurrent.TimeUnit;
import java.util.function.Predicate;

/**
 * Exchanges the private files of clients that sign in every second, again and again, and counts the
 * sign-ins that met an exchange: OpenSSH's client reads its file twice. Every other client has its
 * former key file as a second one, as the block that Tolvin gives out says.
 */
public final class Exchanges {
  private static final double CLIENT_SECONDS = 1;

  private Exchanges() {}

  /**
   * Runs it.
   *
   * @param clients how many clients there are
   * @param exchanges how many exchanges there are at least of each kind of client
   */
  public static void run(Path directory, Path root, int clients, int exchanges) throws Exception {
    try (RigEstate estate = new RigEstate(directory, root, clients);
        RigServices services =
            new RigServices(directory, root, List.of("-Xmx384m", "-Dtolvin.runner.lease=PT60S"))) {
      estate.tell(services.api());
      estate.watch(CLIENT_SECONDS);
      Map<Boolean, Integer> done = exchange(services, estate, exchanges);
      JsonNode watched = estate.stopWatching();
      System.out.printf(
          "%d clients that sign in every second, while their keys are rotated; law broken: %d%n",
          clients, watched.path("broken").asLong());
      for (boolean second : List.of(false, true)) {
        SignIns signIns =
            SignIns.of(estate, estate.pairs.stream().filter(p -> p.second() == second).toList());
        System.out.printf(
            "  %s a second IdentityFile line: %,d exchanges, %,d sign-ins, failed: %s%n",
            second ? "with" : "without", done.get(second), signIns.all(), signIns.failed());
      }
    }
  }

  /** Rotates every client's key again as soon as its last rotation ended; counts the exchanges. */
  private static Map<Boolean, Integer> exchange(
      RigServices services, RigEstate estate, int exchanges) throws Exception {
    Map<Boolean, Integer> done = new HashMap<>(Map.of(false, 0, true, 0));
    Map<RigEstate.Pair, String> running = new HashMap<>();
    Predicate<RigEstate.Pair> more = pair -> done.get(pair.second()) < exchanges;
    while (!running.isEmpty() || estate.pairs.stream().anyMatch(more)) {
      Set<String> underWay = new HashSet<>();
      services.underWay().forEach(rotation -> underWay.add(rotation.path("id").asText()));
      for (RigEstate.Pair pair : estate.pairs) {
        String rotation = running.get(pair);
        if (rotation != null && !underWay.contains(rotation)) {
          running.remove(pair);
          done.merge(pair.second(), 1, Integer::sum);
        }
        if (!running.containsKey(pair) && more.test(pair)) {
          String next = services.plan(pair, "PT1S");
          services.run(next);
          running.put(pair, next);
        }
      }
      TimeUnit.MILLISECONDS.sleep(300);
    }
    return done;
  }
}
