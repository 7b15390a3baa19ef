package tolvin.e2e;

import static org.assertj.core.api.Assertions.assertThat;

import com.fasterxml.jackson.databind.JsonNode;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.attribute.PosixFilePermissions;
import java.time.Duration;
import java.util.List;
import java.util.Map;
import java.util.stream.Stream;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.MethodOrderer;
import org.junit.jupiter.api.Order;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.TestMethodOrder;
import tolvin.standins.local.Ports;

/**
 * The order of the work, start to end, on the demo, by the command line; clients upload all the
 * time.
 */
@TestMethodOrder(MethodOrderer.OrderAnnotation.class)
class OrderOfWorkTest {
  private final Site site = Site.get();

  @AfterEach
  void notOneUploadFailed() {
    Ports.await(
        "the clients upload",
        Duration.ofSeconds(60),
        () ->
            Files.exists(site.data().resolve("demo/uploads.txt"))
                && site.uploads().contains("timetable succeeded="));
    assertThat(site.uploads()).doesNotContain("last-failure");
  }

  /** Other users of the machine read neither logs nor passwords. */
  @Test
  @Order(0)
  void whatTheStartCommandWritesIsClosedToOthers() throws Exception {
    assertThat(PosixFilePermissions.toString(Files.getPosixFilePermissions(site.data())))
        .matches("rwx--[x-]--[x-]");
    for (String closed :
        List.of(
            "logs",
            "logs/service.log",
            "service",
            "service/master-key.json",
            "demo/isla.properties",
            "client.properties")) {
      assertThat(
              PosixFilePermissions.toString(
                  Files.getPosixFilePermissions(site.data().resolve(closed))))
          .as(closed)
          .endsWith("------");
    }
    String password = site.signIn().getProperty("password");
    try (Stream<Path> logs = Files.list(site.data().resolve("logs"))) {
      assertThat(logs).isNotEmpty().noneMatch(log -> read(log).contains(password));
    }
  }

  private static String read(Path file) {
    try {
      return Files.readString(file);
    } catch (java.io.IOException e) {
      throw new java.io.UncheckedIOException(e);
    }
  }

  @Test
  @Order(1)
  void aKeyIsRegisteredPlacedAndWithdrawn() throws Exception {
    Path key = site.data().resolve("id_crane");
    new ProcessBuilder("ssh-keygen", "-q", "-t", "ecdsa", "-N", "", "-C", "crane 4", "-f", key + "")
        .start()
        .waitFor();
    String listed = site.run("ssh-keygen", "-lf", key + ".pub").out();
    JsonNode look = site.json("key", "look", key + ".pub").get(0);
    assertThat(listed).contains(look.get("fingerprint").asText(), " crane 4 ", "256 ");

    assertThat(site.tolvin("key", "add", key.toString(), "--identity", "nobody"))
        .satisfies(r -> assertThat(r.status()).isEqualTo(1))
        .satisfies(r -> assertThat(r.err()).contains("private key", "exposed"));
    assertThat(
            site.tolvin(
                    "identity",
                    "add",
                    "crane-feed",
                    "--team",
                    "Cranes",
                    "--responsible",
                    "Tormod Haig")
                .status())
        .isZero();
    assertThat(site.tolvin("key", "add", key + ".pub", "--identity", "crane-feed").status())
        .isZero();
    assertThat(site.tolvin("key", "add", key + ".pub", "--identity", "crane-feed"))
        .satisfies(r -> assertThat(r.status()).isZero())
        .satisfies(r -> assertThat(r.out()).contains("registered already, for crane-feed"));
    assertThat(site.tolvin("key", "add", key + ".pub", "--identity", "fuel-feed"))
        .satisfies(r -> assertThat(r.status()).isEqualTo(1))
        .satisfies(r -> assertThat(r.out()).contains("One key belongs to one identity"));

    Path keys = site.data().resolve("demo/sftp/home/ticketing/.ssh/authorized_keys");
    Files.writeString(keys, Files.readString(keys) + "# kept by the ticket office\r\n\n");
    String before = Files.readString(keys);
    assertThat(
            site.tolvin(
                    "placement",
                    "place",
                    "crane-feed",
                    "ticketing@sftp.skerrymoor.example",
                    "--title",
                    "crane log")
                .err())
        .contains("--yes");
    assertThat(
            site.tolvin(
                    "placement",
                    "place",
                    "crane-feed",
                    "ticketing@sftp.skerrymoor.example",
                    "--title",
                    "crane log",
                    "--yes")
                .status())
        .isZero();
    assertThat(Files.readString(keys)).startsWith(before).contains("crane log tolvin:");
    JsonNode placements = site.json("placement", "list", "ticketing@sftp.skerrymoor.example");
    String id = "";
    for (JsonNode p : placements) {
      id = p.get("title").asText().equals("crane log") ? p.get("id").asText() : id;
    }
    assertThat(site.tolvin("placement", "withdraw", id, "--reason", "test", "--yes").status())
        .isZero();
    assertThat(Files.readString(keys)).isEqualTo(before);
  }

  @Test
  @Order(2)
  void whatDependsOnAKeyIsKnownAndItIsNotWithdrawnUnderIt() throws Exception {
    Ports.await(
        "the seat was read for the first time",
        Duration.ofSeconds(30),
        () ->
            site.tolvin("seat", "list", "--output", "csv")
                .out()
                .contains("id_timetable,apps.skerrymoor.example,timetable-app,127.0.0.21,SHA256:"));
    assertThat(site.tolvin("key", "show", "timetable-feed").out())
        .contains(
            "Nightly timetable file", "timetable@sftp.skerrymoor.example", "127.0.0.21", "true");
    JsonNode placement = site.json("placement", "list", "timetable@sftp.skerrymoor.example").get(0);
    assertThat(
            site.tolvin(
                "placement", "withdraw", placement.get("id").asText(), "--reason", "x", "--yes"))
        .satisfies(r -> assertThat(r.status()).isEqualTo(1))
        .satisfies(
            r -> assertThat(r.err()).contains("Nightly timetable file", "Rotate the key instead"));
  }

  @Test
  @Order(3)
  void aRehearsalShowsTheExactLinesAndTouchesNothingThenTheRotationDoesJustThat() throws Exception {
    Path keys = site.data().resolve("demo/sftp/home/timetable/.ssh/authorized_keys");
    Path seat = site.data().resolve("demo/apps/home/timetable-app/id_timetable");
    String before = Files.readString(keys);
    byte[] held = Files.readAllBytes(seat);
    String rehearsal =
        site.tolvin(
                "rotation",
                "run",
                "timetable-feed",
                "--rehearse",
                "--reason",
                "yearly",
                "--ticket",
                "SF-17")
            .out();
    assertThat(Files.readString(keys)).isEqualTo(before);
    assertThat(Files.readAllBytes(seat)).isEqualTo(held);
    String added =
        rehearsal
            .lines()
            .filter(l -> l.startsWith("  + ssh-ed25519"))
            .findFirst()
            .orElseThrow()
            .substring(4);
    String removed =
        rehearsal
            .lines()
            .filter(l -> l.startsWith("  - ssh-ed25519"))
            .findFirst()
            .orElseThrow()
            .substring(4);
    assertThat(before).contains(removed);

    Site.Ran ran = site.tolvin("rotation", "run", "timetable-feed", "--yes");
    assertThat(ran.status()).as(ran.text()).isZero();
    assertThat(ran.out())
        .contains(
            "✓ Place", "✓ Sign in", "✓ Supply", "✓ Withdraw", "✓ Remove the private key", "done");
    assertThat(Files.readString(keys)).isEqualTo(before.replace(removed, added));
    assertThat(Files.readAllBytes(seat)).isNotEqualTo(held);
    assertThat(PosixFilePermissions.toString(Files.getPosixFilePermissions(seat)))
        .isEqualTo("rw-------");
    assertThat(Path.of(seat + ".before")).doesNotExist();
    String offered = site.run("ssh-keygen", "-yf", seat.toString()).out().split(" ")[1];
    assertThat(added).contains(offered);
    assertThat(site.tolvin("rotation", "show", "timetable-feed").out())
        .contains("◉ done", "█", "s seat proof");
  }

  @Test
  @Order(4)
  void puttingBackWorksAtEachStage() throws Exception {
    Path keys = site.data().resolve("demo/sftp/home/manifest/.ssh/authorized_keys");
    Path seat = site.data().resolve("demo/apps/home/manifest-app/id_manifest");
    String before = Files.readString(keys);
    byte[] held = Files.readAllBytes(seat);
    for (String stage : java.util.List.of("generated", "placed", "supplied", "proven")) {
      String id =
          site.tolvin("rotation", "plan", "manifest-feed", "--watch", "PT1H")
              .out()
              .lines()
              .reduce((a, b) -> b)
              .orElseThrow()
              .replaceAll(".* ", "");
      if (!stage.equals("generated")) {
        site.tolvin("rotation", "run", id, "--yes", "--no-follow");
        Ports.await("stage " + stage, Duration.ofSeconds(60), () -> reached(id, stage));
      }
      Site.Ran back = site.tolvin("rotation", "roll-back", id, "--reason", "drill", "--yes");
      assertThat(back.out()).as(stage).contains("rolled back");
      assertThat(Files.readString(keys)).as(stage).isEqualTo(before);
      assertThat(Files.readAllBytes(seat)).as(stage).isEqualTo(held);
    }
    assertThat(site.tolvin("rotation", "roll-back", "timetable-feed", "--yes").err())
        .contains("is over: done");
  }

  private boolean reached(String id, String stage) {
    try {
      var stages =
          java.util.List.of(
              "planned",
              "generated",
              "placed",
              "supplied",
              "proven",
              "watched",
              "withdrawn",
              "done");
      String now = site.api().get("/rotations/" + id).at("/rotation/stage").asText();
      return stages.indexOf(now) >= stages.indexOf(stage);
    } catch (IOException e) {
      throw new java.io.UncheckedIOException(e);
    }
  }

  @Test
  @Order(5)
  void aFreezeHoldsARotationAndPuttingBackIsExempt() throws Exception {
    String freeze =
        site.api()
            .post(
                "/freezes",
                Map.of(
                    "from",
                    "2020-01-01T00:00:00Z",
                    "until",
                    "2099-01-01T00:00:00Z",
                    "reason",
                    "year-end sailings"))
            .get("id")
            .asText();
    String id =
        site.tolvin("rotation", "plan", "manifest-feed")
            .out()
            .lines()
            .reduce((a, b) -> b)
            .orElseThrow()
            .replaceAll(".* ", "");
    site.tolvin("rotation", "run", id, "--yes", "--no-follow");
    Ports.await(
        "the freeze holds it",
        Duration.ofSeconds(30),
        () -> unchecked(id).contains("year-end sailings"));
    assertThat(site.tolvin("freeze", "remove", freeze).status()).isZero();
    site.tolvin("rotation", "roll-back", id, "--yes");
    assertThat(site.tolvin("journal", "check").out()).contains("true");
  }

  private String unchecked(String id) {
    try {
      return site.api().get("/rotations/" + id).at("/rotation/waitingFor").asText();
    } catch (IOException e) {
      throw new java.io.UncheckedIOException(e);
    }
  }

  /** Its cadence makes the fuel feed's key due a few minutes after the start. */
  @Test
  @Order(6)
  void aKeyThatFallsDueIsRotatedByItself() throws Exception {
    Ports.await(
        "the fuel feed is rotated without anybody",
        Duration.ofMinutes(5),
        () -> {
          try {
            for (JsonNode rotation : site.api().get("/rotations?limit=100").get("items")) {
              if (rotation.get("byItself").asBoolean()
                  && rotation.path("outcome").asText().equals("done")) {
                return rotation.get("reason").asText().contains("rule 60");
              }
            }
            return false;
          } catch (IOException e) {
            throw new java.io.UncheckedIOException(e);
          }
        });
  }

  @Test
  @Order(7)
  void misuseIsSaidWithItsStatus() {
    assertThat(site.tolvin("key", "lok").status()).isEqualTo(2);
    assertThat(site.tolvin("key", "show", "nobody-at-all"))
        .satisfies(r -> assertThat(r.status()).isEqualTo(1));
    assertThat(site.fed("ssh-ed25519 AAAA", "./tolvin", "key", "look", "-").out())
        .contains("ends in the middle");
    assertThat(site.run("./start", "--port", "1").text()).contains("runs already");
    assertThat(site.tolvin("key", "list", "--output", "csv").out())
        .startsWith("Fingerprint,Type,Bits,Identity");
    assertThat(site.tolvin("rotation", "list").out().lines())
        .allMatch(line -> line.length() <= 100);
  }
}
