package tolvin.e2e;

import static org.assertj.core.api.Assertions.assertThat;

import com.fasterxml.jackson.databind.JsonNode;
import java.io.IOException;
import java.net.URI;
import java.net.http.HttpClient;
import java.net.http.HttpRequest;
import java.net.http.HttpResponse;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardCopyOption;
import java.nio.file.attribute.PosixFilePermissions;
import java.time.Duration;
import java.util.List;
import java.util.Optional;
import java.util.concurrent.Callable;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import org.junit.jupiter.api.MethodOrderer;
import org.junit.jupiter.api.Order;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.TestMethodOrder;
import tolvin.standins.local.Ports;

/**
 * One service account on all seven families, by commands alone: code host, warehouse, build system,
 * server, directory, key repository and a partner's server.
 */
@TestMethodOrder(MethodOrderer.OrderAnnotation.class)
class SystemsByCommandTest {
  /** Where the nightly job's key is placed beside code host and warehouse. */
  private static final List<String> MORE =
      List.of(
          "manifest@sftp.skerrymoor.example",
          "timetable-night@people.skerrymoor.example",
          "timetable-night@keys.skerrymoor.example",
          "skerrymoor@customs.example");

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
        "service-account",
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
    String tests = "tests@lake.skerrymoor.example";
    Site.Ran unhelpful = site.tolvin("trial", "run", tests, "--key", "fuel-night");
    assertThat(unhelpful.text())
        .contains("Invalid token.")
        .contains("The key is not registered on the account.");
    good("placement", "place", "fuel-night", tests, "--title", "fuel job", "--yes");
    awaitGood("trial", "run", tests, "--key", "fuel-night");
    Site.Ran third =
        site.tolvin(
            "placement",
            "place",
            "timetable-feed",
            tests,
            "--title",
            "x",
            "--purpose",
            "signing",
            "--yes");
    assertThat(third.text()).contains("A key there is for sign-in");
  }

  @Test
  @Order(3)
  void theNightlyJobsKeyStandsAtFourMoreAndIsProvenByItsHolder() throws Exception {
    Path key = jobsKey();
    String nightly = nightly();
    for (String account : MORE) {
      site.tolvin("placement", "place", nightly, account, "--title", "night job", "--yes");
    }
    String asked = registerAtTheCustomsOffice();
    for (String account : MORE) {
      good(
          "trial",
          "run",
          account,
          "--here",
          "--key",
          nightly,
          "--sign",
          key.toString(),
          "--",
          "-i",
          key.toString(),
          "-o",
          "IdentitiesOnly=yes");
    }
    await(
        "the customs office's word was proven by the holder's sign-in",
        () -> site.json("hand-over", "show", asked).path("state").asText().equals("confirmed"));
    Files.delete(key);
  }

  @Test
  @Order(4)
  void theNightlyJobsKeyIsRotatedThroughAllSeven() throws Exception {
    Site.Ran asks = site.tolvin("rotation", "run", nightly(), "--yes");
    assertThat(asks.status()).as(asks.text()).isEqualTo(3);
    String id = rotation().get("id").asText();
    assertThat(good("rotation", "run", id, "--rehearse").out())
        .contains("encrypted to the store's published key")
        .contains("it cannot be had back from there")
        .contains("asked of its own administrator");
    registerAtTheCustomsOffice();
    awaitGood("rotation", "accept", id, "--yes", "--reason", "the new key was tried");
    await(
        "it is done",
        () -> {
          // each place that tells of no uses is asked about by itself
          site.tolvin("rotation", "accept", id, "--yes", "--reason", "nobody else has the old key");
          for (String takeOut : handOver("take-out").stream().toList()) {
            atTheCustomsOffice("take-out", takeOut);
          }
          return rotation().path("outcome").asText().equals("done");
        });
    assertThat(good("rotation", "show", id).out())
        .contains("Have timetable-night on build.sk", "Withdraw");
    for (String account : MORE) {
      JsonNode registered = site.json("account", "show", account);
      assertThat(registered.findValuesAsText("key"))
          .as(account)
          .contains(rotation().get("newKey").asText())
          .doesNotContain(rotation().get("oldKey").asText());
    }
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

  /** The private key that the nightly job was given, where its build system keeps it. */
  private Path jobsKey() throws IOException {
    try (var files = Files.list(site.data().resolve("demo/systems/build/private"))) {
      Path there = files.filter(f -> f.toString().contains("timetable-night")).findFirst().get();
      Path copy = Files.createTempFile("job", ".key");
      Files.setPosixFilePermissions(copy, PosixFilePermissions.fromString("rw-------"));
      return Files.copy(there, copy, StandardCopyOption.REPLACE_EXISTING);
    }
  }

  private String registerAtTheCustomsOffice() throws IOException {
    await("they are asked", () -> handOver("register").isPresent());
    String asked = handOver("register").orElseThrow();
    atTheCustomsOffice("register", asked);
    return asked;
  }

  /** Their administrator's hands: takes the key out of the package, and replies on the page. */
  private void atTheCustomsOffice(String action, String handOver) throws IOException {
    String text = good("hand-over", "package", handOver).out();
    int begin = text.indexOf("---- BEGIN");
    String key = text.substring(begin, text.indexOf('\n', text.indexOf("---- END", begin)) + 1);
    Path file = Files.writeString(Files.createTempFile("customs", ".pub"), key);
    Site.Ran ran = site.run("scripts/partner", action, "skerrymoor", file.toString());
    assertThat(ran.status()).as(ran.text()).isZero();
    Matcher link = Pattern.compile("http://\\S+/reply/\\S+").matcher(text);
    assertThat(link.find()).as(text).isTrue();
    try {
      var reply =
          HttpClient.newHttpClient()
              .send(
                  HttpRequest.newBuilder(URI.create(link.group()))
                      .header("Content-Type", "application/x-www-form-urlencoded")
                      .POST(HttpRequest.BodyPublishers.ofString("name=Oona+Varr&word=done"))
                      .build(),
                  HttpResponse.BodyHandlers.ofString());
      assertThat(reply.statusCode()).as(reply.body()).isEqualTo(200);
    } catch (InterruptedException e) {
      throw new IOException(e);
    }
  }

  private Optional<String> handOver(String kind) throws IOException {
    for (JsonNode one : site.json("hand-over", "list")) {
      if (one.path("kind").asText().equals(kind) && one.path("state").asText().equals("open")) {
        return Optional.of(one.get("id").asText());
      }
    }
    return Optional.empty();
  }

  /** The fingerprint of the key that the job uses now: its identity may have others. */
  private String nightly() throws IOException {
    return site.json("account", "show", "boats/timetable@code.skerrymoor.example")
        .get(0)
        .get("key")
        .asText();
  }

  private JsonNode rotation() throws IOException {
    for (JsonNode rotation : site.json("rotation", "list")) {
      if (rotation.path("identity").asText().equals("timetable-night")) {
        return rotation;
      }
    }
    throw new IllegalStateException("no rotation");
  }

  private void awaitGood(String... command) {
    await(String.join(" ", command), () -> site.tolvin(command).status() == 0);
  }

  private static void await(String what, Callable<Boolean> condition) {
    Ports.await(
        what,
        Duration.ofSeconds(60),
        () -> {
          try {
            return condition.call();
          } catch (Exception e) {
            throw new IllegalStateException(what, e);
          }
        });
  }
}
