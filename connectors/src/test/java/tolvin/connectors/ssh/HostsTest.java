package tolvin.connectors.ssh;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import java.security.SecureRandom;
import java.time.Duration;
import java.util.ArrayList;
import java.util.List;
import java.util.concurrent.CountDownLatch;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import java.util.concurrent.Future;
import java.util.concurrent.atomic.AtomicInteger;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import tolvin.core.pair.KeyPairMaker;
import tolvin.core.pair.SecretPair;
import tolvin.core.port.Login;
import tolvin.core.port.PortException;
import tolvin.core.port.PortException.Kind;
import tolvin.core.port.Server;

class HostsTest {
  private static final Duration LIMIT = Duration.ofMillis(300);

  /** For what ends by itself, however busy the machine is. */
  private static final Duration AMPLE = Duration.ofMinutes(5);

  private static final SecretPair SIGNER = KeyPairMaker.ed25519(new SecureRandom());

  private static Login on(String host) {
    return new Login(new Server(host, host, 22, List.of(SIGNER.key())), "somebody", SIGNER);
  }

  private static String quick(Hosts hosts, String host) throws PortException {
    return hosts.within(on(host), AMPLE, () -> {}, () -> "done");
  }

  /** Work that does not end by itself: its connection is ended, and it fails then. */
  private static void hang(Hosts hosts, String host, Kind kind) throws PortException {
    CountDownLatch ended = new CountDownLatch(1);
    hosts.within(
        on(host),
        LIMIT,
        ended::countDown,
        () -> {
          try {
            ended.await();
          } catch (InterruptedException e) {
            Thread.currentThread().interrupt();
          }
          throw new PortException(kind, "the connection was lost", "");
        });
  }

  @ParameterizedTest
  @CsvSource({
    "UNREACHABLE, UNREACHABLE",
    "UNEXPECTED, UNREACHABLE",
    "UNKNOWN_OUTCOME, UNKNOWN_OUTCOME"
  })
  void whatHangsIsEndedAndItsHostSetAside(Kind lost, Kind told) throws Exception {
    try (Hosts hosts = new Hosts(LIMIT)) {
      assertThatThrownBy(() -> hang(hosts, "stuck", lost))
          .isInstanceOfSatisfying(PortException.class, e -> assertThat(e.kind()).isEqualTo(told))
          .hasMessageContaining("did not answer within");
      assertThatThrownBy(() -> quick(hosts, "stuck")).hasMessageContaining("it is tried again at");
      assertThat(hosts.silent())
          .singleElement()
          .satisfies(s -> assertThat(s.againAt()).isPresent());
      assertThat(quick(hosts, "another")).isEqualTo("done");
    }
  }

  @Test
  void refusalsAreAnswers() throws Exception {
    try (Hosts hosts = new Hosts(LIMIT)) {
      for (int i = 0; i < 5; i++) {
        assertThatThrownBy(
                () ->
                    hosts.within(
                        on("strict"),
                        AMPLE,
                        () -> {},
                        () -> {
                          throw new PortException(Kind.NOT_ALLOWED, "no", "");
                        }))
            .hasMessage("no");
      }
      assertThat(quick(hosts, "strict")).isEqualTo("done");
      assertThat(hosts.silent()).isEmpty();
    }
  }

  /** Many wait for their turn on one host, and none is turned away as long as it answers. */
  @Test
  void aHostThatAnswersTakesOneAfterTheOther() throws Exception {
    try (Hosts hosts = new Hosts(Duration.ofSeconds(20))) {
      AtomicInteger at = new AtomicInteger();
      AtomicInteger most = new AtomicInteger();
      ExecutorService pool = Executors.newFixedThreadPool(40);
      List<Future<String>> all = new ArrayList<>();
      for (int i = 0; i < 200; i++) {
        all.add(
            pool.submit(
                () ->
                    hosts.within(
                        on("busy"),
                        Duration.ofSeconds(20),
                        () -> {},
                        () -> {
                          most.accumulateAndGet(at.incrementAndGet(), Math::max);
                          Thread.yield();
                          at.decrementAndGet();
                          return "done";
                        })));
      }
      for (Future<String> one : all) {
        assertThat(one.get()).isEqualTo("done");
      }
      pool.shutdown();
      assertThat(most.get()).isBetween(1, 8);
    }
  }
}
