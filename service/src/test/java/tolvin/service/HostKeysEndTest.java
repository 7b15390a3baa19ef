package tolvin.service;

import static org.assertj.core.api.Assertions.assertThat;

import io.quarkus.arc.All;
import io.quarkus.test.common.QuarkusTestResource;
import io.quarkus.test.junit.QuarkusTest;
import jakarta.inject.Inject;
import java.security.SecureRandom;
import java.time.Duration;
import java.util.List;
import java.util.Map;
import org.junit.jupiter.api.Test;
import tolvin.core.pair.KeyPairMaker;
import tolvin.core.pair.SecretPair;
import tolvin.service.job.JobHandler;
import tolvin.service.job.JobKind;

/** A host key ends at its date, and not whenever somebody comes by. */
@QuarkusTest
@QuarkusTestResource(PostgresForTests.class)
class HostKeysEndTest {
  @Inject @All List<JobHandler> handlers;

  @Test
  void theNextTurnIsAtTheNextEnd() throws Exception {
    JobHandler handler =
        handlers.stream().filter(h -> h.kind() == JobKind.HOST_KEYS_END).findFirst().orElseThrow();
    String destination;
    try (SecretPair pair = KeyPairMaker.ed25519(new SecureRandom())) {
      destination =
          SweepTest.attach(Map.of("family", "sftp-server", "hostKeys", List.of(pair.key().line())));
    }
    String of = " where destination_id = '" + destination + "'";
    PostgresForTests.postgres.execute(
        "update host_key set accepted_until = now() + interval '2 minutes'" + of);
    assertThat(handler.run(JobKind.ALL, () -> false))
        .hasValueSatisfying(next -> assertThat(next).isLessThan(Duration.ofMinutes(2)));
    PostgresForTests.postgres.execute("update host_key set accepted_until = now()" + of);
    assertThat(handler.run(JobKind.ALL, () -> false)).isPresent();
    assertThat(
            PostgresForTests.postgres.count(
                "select count(*) from host_key" + of + " and valid_until is null"))
        .isZero();
  }
}
