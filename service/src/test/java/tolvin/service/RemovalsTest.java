package tolvin.service;

import static org.assertj.core.api.Assertions.assertThat;
import static tolvin.service.Caller.api;
import static tolvin.service.RealClients.LONG;
import static tolvin.service.RealClients.RANDOM;
import static tolvin.service.RealClients.apps;
import static tolvin.service.RealClients.sftp;
import static tolvin.service.RealClients.write;

import io.quarkus.test.common.QuarkusTestResource;
import io.quarkus.test.junit.QuarkusTest;
import io.quarkus.test.junit.TestProfile;
import io.restassured.response.Response;
import jakarta.inject.Inject;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.UUID;
import java.util.concurrent.CountDownLatch;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import java.util.concurrent.Future;
import java.util.concurrent.atomic.AtomicReference;
import java.util.stream.Stream;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.Tag;
import org.junit.jupiter.api.Test;
import tolvin.core.pair.KeyPairMaker;
import tolvin.core.pair.SecretPair;
import tolvin.service.RealClients.Client;
import tolvin.service.placement.Placements;
import tolvin.standins.local.Ports;
import tolvin.standins.local.Unprivileged;

/** Keys that are taken away by hand from clients that sign in all the time. */
@QuarkusTest
@QuarkusTestResource(PostgresForTests.class)
@TestProfile(RealClients.ShortLease.class)
@Tag("short-lease")
class RemovalsTest {
  @Inject Placements placements;

  @BeforeAll
  static void start() throws Exception {
    RealClients.start();
  }

  /** A client that offers two keys, both of them placed: the placements' ids. */
  private static List<String> withTwoKeys(Client client) throws Exception {
    Path second = client.seat().resolveSibling("id_second");
    String key;
    try (SecretPair pair = KeyPairMaker.ed25519(RANDOM)) {
      write(second, pair);
      Unprivileged.own(apps.home(client.login()));
      Map<String, String> request =
          Map.of(
              "text",
              pair.key().line(),
              "identityId",
              api().get("/api/v1/keys/" + client.key()).path("identityId"),
              "custody",
              "machine");
      key = api().body(request).post("/api/v1/keys").path("id");
    }
    Caller.place(Map.of("keyId", key, "accountId", client.account(), "title", "second"), "placed");
    api()
        .body(Map.of("morePaths", List.of(second.toString()), "fallsBack", true))
        .patch("/api/v1/seats/" + client.seatId())
        .then()
        .statusCode(200);
    Ports.await(
        "both were read",
        LONG,
        () ->
            api()
                    .get("/api/v1/seats")
                    .<List<String>>path("items.find { it.id == '" + client.seatId() + "' }.offers")
                    .size()
                == 2);
    return api()
        .get("/api/v1/placements?account=" + client.account())
        .<List<String>>path("items.id");
  }

  private static Response withdraw(String placement) {
    return api()
        .body(Map.of("reason", "test"))
        .post("/api/v1/placements/" + placement + "/withdraw");
  }

  private static String state(String placement) {
    return api().get("/api/v1/placements/" + placement).path("state");
  }

  /** Two doors at the same moment: neither may count on the key that the other one takes away. */
  @Test
  void twoWithdrawalsAtOnceLeaveOneKey() throws Exception {
    Client client = Client.of(sftp, "two-doors");
    List<String> both = withTwoKeys(client);
    CountDownLatch now = new CountDownLatch(1);
    ExecutorService two = Executors.newFixedThreadPool(2);
    List<Future<Integer>> answers =
        both.stream()
            .map(
                id ->
                    two.submit(
                        () -> {
                          now.await();
                          return withdraw(id).statusCode();
                        }))
            .toList();
    now.countDown();
    List<Integer> codes = List.of(answers.get(0).get(), answers.get(1).get());
    two.shutdown();
    assertThat(codes).containsExactlyInAnyOrder(200, 409);
    Ports.await(
        "one of them is withdrawn",
        LONG,
        () ->
            Stream.of(both.get(0), both.get(1))
                .map(RemovalsTest::state)
                .anyMatch("withdrawn"::equals));
    assertThat(client.lines()).hasSize(1);
    assertThat(signsIn(client)).isTrue();
  }

  /**
   * The other key was taken out by hand, which nobody has read yet when the withdrawal is planned.
   */
  @Test
  void whatIsReadRightBeforeItHoldsAWithdrawal() throws Exception {
    Client client = Client.of(sftp, "held");
    List<String> both = withTwoKeys(client);
    String goes = both.get(0);
    String line = api().get("/api/v1/placements/" + goes).path("line");
    Files.write(client.server().authorizedKeys("held"), List.of(line));
    var asked = withdraw(goes);
    // either the service had read the account by itself and refuses at once, or it reads it now and
    // says why the key stays, until the other one was restored
    AtomicReference<String> said = new AtomicReference<>(asked.path("detail"));
    Ports.await(
        "it stays, and why is said",
        LONG,
        () -> {
          if (said.get() == null) {
            said.set(api().get("/api/v1/placements/" + goes).path("reason"));
          }
          return said.get() != null;
        });
    assertThat(said.get()).contains("held job → held@", "could not sign in any more");
    assertThat(state(goes)).isNotEqualTo("withdrawn");
    assertThat(client.lines()).contains(line);
    assertThat(signsIn(client)).isTrue();
    // the other key may have been restored by now, which was lost soon after it was written
    api()
        .body(Map.of("reason", "it is not needed", "overrule", true))
        .post("/api/v1/placements/" + goes + "/withdraw")
        .then()
        .statusCode(200);
    Ports.await("it goes", LONG, () -> state(goes).equals("withdrawn"));
    assertThat(client.lines()).doesNotContain(line);
  }

  /** A person may read what would break while the withdrawal waits for something else. */
  @Test
  void anOverruleWhileItIsUnderWayIsKept() {
    String nowhere = SweepTest.attach(Map.of("family", "sftp-server", "port", 9));
    Map<String, String> request =
        Map.of(
            "keyId", Caller.madeKey(),
            "accountId", SweepTest.account(nowhere, "boats", Map.of()),
            "title", "boats");
    UUID id = UUID.fromString(api().body(request).post("/api/v1/placements").path("id"));
    assertThat(placements.withdraw(id, "r", Optional.empty()).overruled).isFalse();
    assertThat(placements.withdraw(id, "r", Optional.of("the boats stay")).overruled).isTrue();
    assertThat(placements.withdraw(id, "r", Optional.empty()).overruled).isTrue();
    assertThat(state(id.toString())).isEqualTo("withdrawing");
  }

  private static boolean signsIn(Client client) throws Exception {
    return client.signIn().isEmpty()
        || client.signInWith(client.seat().resolveSibling("id_second")).isEmpty();
  }
}
