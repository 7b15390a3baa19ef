package tolvin.bench;

import com.fasterxml.jackson.databind.JsonNode;
import java.io.IOException;
import java.nio.file.Path;
import java.security.SecureRandom;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import tolvin.core.pair.KeyPairMaker;
import tolvin.standins.demo.Api;
import tolvin.standins.local.LocalPostgres;
import tolvin.standins.local.LocalService;
import tolvin.standins.local.Ports;

/**
 * 10,000 keys taken in through the API in one request, each judged, stored and written into the
 * journal, against registering keys one request each, measured on some.
 */
final class IntakeBench {
  private static final int KEYS = 10_000;
  private static final int SINGLE = 300;

  private IntakeBench() {}

  static void run(Path directory, Path root) throws Exception {
    int port = Ports.free();
    try (LocalPostgres postgres = LocalPostgres.forTests()) {
      Process service = LocalService.start(postgres, directory, root, port, "-Xmx384m");
      try {
        measure(LocalService.api(directory, port));
      } finally {
        service.destroy();
        service.waitFor();
      }
    }
  }

  private static void measure(Api api) throws IOException {
    take(api, lines(1000)); // warms up
    List<String> single = lines(2 * SINGLE);
    for (String line : single.subList(0, SINGLE)) {
      api.post("/keys", Map.of("text", line, "custody", "machine"));
    }
    long start = System.nanoTime();
    for (String line : single.subList(SINGLE, 2 * SINGLE)) {
      api.post("/keys", Map.of("text", line, "custody", "machine"));
    }
    double one = (System.nanoTime() - start) / 1e9 / SINGLE;
    List<String> many = lines(KEYS);
    start = System.nanoTime();
    JsonNode result = take(api, many);
    double all = (System.nanoTime() - start) / 1e9;
    System.out.printf(
        "Intake of %d keys: %.1f s, %.0f keys/s (%d registered, %d refused); one request each would"
            + " take %.1f s: %.1f times as long%n",
        KEYS,
        all,
        KEYS / all,
        result.get("registered").asInt(),
        result.get("refused").asInt(),
        one * KEYS,
        one * KEYS / all);
  }

  private static JsonNode take(Api api, List<String> lines) throws IOException {
    return api.post("/intake", Map.of("lines", lines, "byComment", true, "custody", "machine"));
  }

  private static List<String> lines(int count) {
    SecureRandom random = new SecureRandom();
    List<String> lines = new ArrayList<>(count);
    for (int i = 0; i < count; i++) {
      lines.add(KeyPairMaker.ed25519(random).key().line("host" + i + "@skerrymoor"));
    }
    return lines;
  }
}
