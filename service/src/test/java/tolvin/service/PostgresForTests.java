package tolvin.service;

import io.quarkus.test.common.QuarkusTestResourceLifecycleManager;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.Map;
import tolvin.standins.local.LocalPostgres;

/** A real PostgreSQL for the tests, and a data directory of their own. */
public class PostgresForTests implements QuarkusTestResourceLifecycleManager {
  static LocalPostgres postgres;
  static Path data;

  @Override
  public Map<String, String> start() {
    postgres = LocalPostgres.forTests();
    try {
      data = Files.createTempDirectory("tolvin-service");
    } catch (IOException e) {
      throw new java.io.UncheckedIOException(e);
    }
    return Map.of(
        "quarkus.datasource.jdbc.url", postgres.jdbcUrl(),
        "quarkus.datasource.username", postgres.user(),
        "quarkus.datasource.password", postgres.password(),
        "tolvin.data", data.toString(),
        "tolvin.runner.look-again-after", "PT4S",
        "tolvin.admin.password", "four words of iron");
  }

  @Override
  public void stop() {
    try {
      postgres.close();
    } catch (IOException e) {
      throw new java.io.UncheckedIOException(e);
    }
  }
}
