package tolvin.bench;

import com.fasterxml.jackson.databind.JsonNode;
import java.io.IOException;
import java.nio.file.Path;
import java.time.Duration;
import java.time.Instant;
import java.util.List;
import java.util.Map;
import tolvin.connectors.ssh.AuthorizedKeysFiles;
import tolvin.connectors.ssh.SshConnections;
import tolvin.connectors.ssh.SshTrials;
import tolvin.core.pair.KeyPairMaker;
import tolvin.core.pair.SecretPair;
import tolvin.core.port.Login;
import tolvin.core.port.Place;
import tolvin.core.port.Server;
import tolvin.standins.demo.Api;
import tolvin.standins.demo.FerryClients;
import tolvin.standins.demo.Skerrymoor;
import tolvin.standins.local.LocalPostgres;
import tolvin.standins.local.LocalService;
import tolvin.standins.local.LocalSshServer;
import tolvin.standins.local.Ports;

/**
 * One rotation on the demo's real servers against the bare SSH connections that it cannot do
 * without if none were kept: one to the account's server and one to the seat's host, each with one
 * read, and two sign-ins of Tolvin's own. The waiting for the client's next upload and for the old
 * key's silence is no work, and is shown apart.
 */
final class RotationBench {
  private static final int ROUNDS = 5;

  private RotationBench() {}

  static void run(Path directory, Path root) throws Exception {
    int port = Ports.free();
    try (LocalPostgres postgres = LocalPostgres.forTests();
        Skerrymoor demo = Skerrymoor.start(directory.resolve("demo"), Ports.free(), Ports.free())) {
      Process service = LocalService.start(postgres, directory, root, port, "-Xmx384m");
      try {
        Api api = LocalService.api(directory, port);
        demo.tell(api);
        try (FerryClients clients =
            new FerryClients(directory.resolve("uploads.txt"), demo.uploads())) {
          measure(api, demo, clients);
        }
      } finally {
        service.destroy();
        service.waitFor();
      }
    }
  }

  private static void measure(Api api, Skerrymoor demo, FerryClients clients) throws Exception {
    rotate(api); // the first one warms up
    double[] work = new double[ROUNDS];
    double[] wall = new double[ROUNDS];
    double[] bare = new double[ROUNDS];
    Map<String, Double> before = counts(api);
    for (int i = 0; i < ROUNDS; i++) {
      double[] one = rotate(api);
      wall[i] = one[0];
      work[i] = one[1];
      bare[i] = bare(demo);
    }
    Map<String, Double> after = counts(api);
    System.out.println("One rotation, medians of " + ROUNDS + ":");
    System.out.printf(
        "  wall %.2f s, of it work %.2f s; bare connections %.2f s; work is %.2f times the bare"
            + " connections%n",
        ReadingBench.median(wall),
        ReadingBench.median(work),
        ReadingBench.median(bare),
        ReadingBench.median(work) / ReadingBench.median(bare));
    System.out.print("  done for each rotation (with the log followed meanwhile):");
    for (String what : List.of("connections", "reads", "writes", "trials")) {
      System.out.printf(" %s %.1f", what, (after.get(what) - before.get(what)) / ROUNDS);
    }
    System.out.printf(
        "%n  uploads meanwhile: %d succeeded; failed: %s%n",
        clients.succeeded("timetable"), clients.failures().isEmpty() ? "0" : clients.failures());
    if (!clients.failures().isEmpty()) {
      throw new IllegalStateException("uploads failed");
    }
  }

  /** Rotates once: seconds from "run" to the end, and the seconds in which something was done. */
  private static double[] rotate(Api api) throws IOException {
    String key = api.get("/keys?search=timetable-feed").get("items").get(0).get("id").asText();
    String id =
        api.post("/rotations", Map.of("keyId", key, "watch", "PT0S", "reason", "measured"))
            .at("/rotation/id")
            .asText();
    Ports.await(
        "planned", Duration.ofSeconds(30), () -> get(api, id).at("/rotation").has("waitingFor"));
    long start = System.nanoTime();
    api.post("/rotations/" + id + "/run", null);
    Ports.await("done", Duration.ofSeconds(90), () -> get(api, id).at("/rotation").has("outcome"));
    double wall = (System.nanoTime() - start) / 1e9;
    double work = 0;
    for (JsonNode attempt : get(api, id).get("attempts")) {
      if (!attempt.get("effect").asText().equals("generate")) {
        work +=
            Duration.between(
                        Instant.parse(attempt.get("startedAt").asText()),
                        Instant.parse(attempt.get("endedAt").asText()))
                    .toNanos()
                / 1e9;
      }
    }
    return new double[] {wall, work};
  }

  private static double bare(Skerrymoor demo) throws Exception {
    try (SecretPair pair = KeyPairMaker.ed25519(new java.security.SecureRandom())) {
      demo.sftp().authorize("keeper", pair.key().line("bench"));
      demo.apps().authorize("timetable-app", pair.key().line("bench"));
      Login there = login(demo.sftp(), "keeper", pair);
      Login host = login(demo.apps(), "timetable-app", pair);
      long start = System.nanoTime();
      for (Login login : List.of(there, host)) {
        try (SshConnections fresh = new SshConnections()) {
          new AuthorizedKeysFiles(fresh).read(new Place.OverSsh(login, ".ssh/authorized_keys"));
        }
      }
      try (SshConnections fresh = new SshConnections()) {
        SshTrials trials = new SshTrials(fresh);
        for (int i = 0; i < 2; i++) {
          if (!trials.signIn(there).accepted()) {
            throw new IllegalStateException("the reference could not sign in");
          }
        }
      }
      return (System.nanoTime() - start) / 1e9;
    }
  }

  private static Login login(LocalSshServer at, String user, SecretPair pair) {
    return new Login(new Server(user, "127.0.0.1", at.port(), List.of(at.hostKey())), user, pair);
  }

  private static Map<String, Double> counts(Api api) throws IOException {
    String metrics = api.metrics();
    Map<String, Double> counts = new java.util.HashMap<>();
    metrics
        .lines()
        .filter(line -> line.startsWith("tolvin_ssh_"))
        .forEach(
            line ->
                counts.put(
                    line.replaceAll("tolvin_ssh_([a-z]+)_total.*", "$1"),
                    Double.parseDouble(line.substring(line.lastIndexOf(' ') + 1))));
    return counts;
  }

  private static JsonNode get(Api api, String id) {
    try {
      return api.get("/rotations/" + id);
    } catch (IOException e) {
      throw new java.io.UncheckedIOException(e);
    }
  }
}
