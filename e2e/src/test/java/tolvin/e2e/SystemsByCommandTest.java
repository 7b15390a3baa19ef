package tolvin.e2e;

import static org.assertj.core.api.Assertions.assertThat;

import com.fasterxml.jackson.databind.JsonNode;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.List;
import org.junit.jupiter.api.MethodOrderer;
import org.junit.jupiter.api.Order;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.TestMethodOrder;

/** One service account on code host, warehouse and build system, by commands alone. */
@TestMethodOrder(MethodOrderer.OrderAnnotation.class)
class SystemsByCommandTest {
  private final Site site = Site.get();

  private Site.Ran good(String... command) {
    Site.Ran ran = site.tolvin(command);
    assertThat(ran.status()).as(String.join(" ", command) + "\n" + ran.text()).isZero();
    return ran;
  }

  @Test
  @Order(1)
  void sheetsAreCheckedAndExplainedWithoutTheService() throws Exception {
    for (String sheet : List.of("pierhead", "lazarette-roles", "slipway-versions")) {
      String file = "sheets/" + sheet + ".yaml";
      assertThat(good("sheet", "check", file).out()).contains("No flaws");
      assertThat(good("sheet", "explain", file).out())
          .contains("talked to")
          .satisfies(text -> assertThat(text.lines()).allMatch(line -> line.length() <= 100));
    }
    assertThat(good("sheet", "schema").out()).contains("urn:tolvin:schema:system-sheet:1");
    Path flawed = Files.writeString(Files.createTempFile("sheet", ".yaml"), "sheet: 1\nodd: 2\n");
    Site.Ran refused = site.tolvin("sheet", "check", flawed.toString());
    assertThat(refused.status()).isEqualTo(1);
    assertThat(refused.out()).contains("Nothing is called “odd” here");
    assertThat(site.tolvin("sheet", "explain", flawed.toString()).err()).contains("line 1");
  }

  @Test
  @Order(2)
  void oneKeyIsRegisteredOnCodeHostAndWarehouseAndProven() throws Exception {
    good(
        "identity",
        "add",
        "fuel-night",
        "--kind",
        "service_account",
        "--team",
        "Shore systems",
        "--responsible",
        "Tormod Haig");
    good("key", "make", "--custody", "coffer", "--identity", "fuel-night");
    good("account", "add", "code.skerrymoor.example", "boats/fuel", "--kind", "repository");
    String repository = "boats/fuel@code.skerrymoor.example";
    Site.Ran before = site.tolvin("trial", "run", repository, "--key", "fuel-night");
    assertThat(before.status()).isEqualTo(1);
    good(
        "placement",
        "place",
        "fuel-night",
        repository,
        "--title",
        "fuel job",
        "--access",
        "read",
        "--yes");
    awaitGood("trial", "run", repository, "--key", "fuel-night");
    String tries = "tries@lake.skerrymoor.example";
    Site.Ran unhelpful = site.tolvin("trial", "run", tries, "--key", "fuel-night");
    assertThat(unhelpful.text())
        .contains("Invalid token.")
        .contains("The key is not registered on the account.");
    good("placement", "place", "fuel-night", tries, "--title", "fuel job", "--yes");
    awaitGood("trial", "run", tries, "--key", "fuel-night");
    Site.Ran third =
        site.tolvin(
            "placement",
            "place",
            "timetable-feed",
            tries,
            "--title",
            "x",
            "--purpose",
            "signing",
            "--yes");
    assertThat(third.text()).contains("A key there is for sign-in");
  }

  @Test
  @Order(3)
  void theNightlyJobsKeyIsRotatedThroughAllThree() throws Exception {
    Site.Ran asks = site.tolvin("rotation", "run", "timetable-night", "--yes");
    assertThat(asks.status()).as(asks.text()).isEqualTo(3);
    String id = rotation().get("id").asText();
    assertThat(good("rotation", "run", id, "--rehearse").out())
        .contains("encrypted to the store's published key")
        .contains("it cannot be had back from there");
    good("rotation", "accept", id, "--yes", "--reason", "the new key was tried");
    Site.Ran run = site.tolvin("rotation", "run", id, "--yes");
    assertThat(run.out())
        .as(run.text())
        .contains("✓ Have timetable-night on build.skerrymoor.example sign in with")
        .contains("✓ Withdraw");
    assertThat(rotation().get("outcome").asText()).isEqualTo("done");
    for (String account :
        List.of(
            "boats/timetable@code.skerrymoor.example",
            "timetable_loader@lake.skerrymoor.example")) {
      JsonNode registered = site.json("account", "show", account);
      assertThat(registered).as(account).hasSize(1);
      assertThat(registered.get(0).get("key").asText())
          .isEqualTo(rotation().get("newKey").asText());
      assertThat(registered.get(0).hasNonNull("usedAt")).isTrue();
    }
  }

  private JsonNode rotation() throws IOException {
    for (JsonNode rotation : site.json("rotation", "list")) {
      if (rotation.path("identity").asText().equals("timetable-night")) {
        return rotation;
      }
    }
    throw new IllegalStateException("no rotation");
  }

  private void awaitGood(String... command) throws IOException {
    tolvin.standins.local.Ports.await(
        String.join(" ", command),
        java.time.Duration.ofSeconds(30),
        () -> site.tolvin(command).status() == 0);
  }
}
