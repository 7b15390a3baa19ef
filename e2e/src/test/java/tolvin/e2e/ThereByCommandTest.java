package tolvin.e2e;

import static org.assertj.core.api.Assertions.assertThat;

import com.fasterxml.jackson.databind.JsonNode;
import com.fasterxml.jackson.databind.ObjectMapper;
import java.nio.file.Files;
import java.nio.file.Path;
import java.security.SecureRandom;
import java.time.Instant;
import org.junit.jupiter.api.Test;
import tolvin.core.key.PublicKey;
import tolvin.core.pair.KeyPairMaker;

/** What is really there, by command: sweeping, settling, taking over, logs read in. */
class ThereByCommandTest {
  private static final ObjectMapper JSON = new ObjectMapper();
  private final Site site = Site.get();

  private Site.Ran good(String... command) {
    Site.Ran ran = site.tolvin(command);
    assertThat(ran.status()).as(ran.text()).isZero();
    return ran;
  }

  private static PublicKey key() {
    return KeyPairMaker.ed25519(new SecureRandom()).key();
  }

  @Test
  void whatIsThereIsSweptShownAndSettled() throws Exception {
    Site.Ran swept = good("sweep", "run", "sftp.skerrymoor.example");
    assertThat(swept.out()).contains("done", "damaged line");
    assertThat(swept.out().lines()).allMatch(line -> line.length() <= 100);
    JsonNode damaged =
        JSON.readTree(good("finding", "list", "--kind", "damaged-line", "--output", "json").out());
    String id = damaged.get(0).get("id").asText();
    assertThat(good("finding", "show", id).out()).contains("ignored by the server", "by hand");
    Site.Ran cannot = site.tolvin("finding", "withdraw", id, "--reason", "x", "--rehearse");
    assertThat(cannot.status()).isEqualTo(1);
    assertThat(cannot.text()).contains("cannot be settled so");
    assertThat(
            good(
                    "finding",
                    "accept",
                    id,
                    "--until",
                    "2099-01-01T00:00:00Z",
                    "--reason",
                    "the yard mends it",
                    "--yes")
                .out())
        .contains("1 settled, 0 not.");
    assertThat(site.tolvin("finding", "accept", "--reason", "x", "--until", "soon").status())
        .isNotZero();
    assertThat(site.tolvin("sweep", "run", "customs.example").text())
        .contains("Nobody can look at customs.example");
  }

  @Test
  void anEstateOfFilesAndATableIsTakenOverTwiceAndCountsOnce() throws Exception {
    Path files = Files.createTempDirectory("estate");
    PublicKey shared = key();
    for (int i = 0; i < 100; i++) {
      Path host = Files.createDirectory(files.resolve("quay" + i + ".skerrymoor.example"));
      Files.writeString(
          host.resolve("loader"),
          "# kept by hand\r\n"
              + shared.line("tormod.haig@shore")
              + "\r\nfrom=\"10.0.0.0/8\" "
              + key().line("loader " + i)
              + "\r\nssh-ed25519 AAAA broken\r\n");
    }
    String[] take = {"estate", "take", "--files", files.toString(), "--reason", "first look"};
    assertThat(good(with(take, "--rehearse", "--output", "json")).out()).contains("Tormod Haig");
    JsonNode first = JSON.readTree(good(with(take, "--yes", "--output", "json")).out());
    assertThat(first).hasSize(100);
    int fresh = 0;
    int joined = 0;
    for (JsonNode one : first) {
      fresh += one.get("fresh").asInt();
      joined += one.get("joined").asInt();
      assertThat(one.get("ignored").toString()).contains("line 4");
    }
    assertThat(fresh).isEqualTo(101);
    assertThat(joined).isEqualTo(99);
    for (JsonNode one : JSON.readTree(good(with(take, "--yes", "--output", "json")).out())) {
      assertThat(one.get("known").asInt()).isEqualTo(2);
    }
    Path table = Files.createTempFile("estate", ".csv");
    Files.writeString(
        table,
        "\uFEFFdestination;login;key;identity\nquay7.skerrymoor.example;\"loader\";"
            + key().line("by table")
            + ";Isla Renwick\n");
    assertThat(good("estate", "take", "--csv", table.toString(), "--reason", "t", "--yes").out())
        .contains("loader@quay7.skerrymoor.example");
    Files.writeString(table, "a,b\n1,2\n");
    assertThat(site.tolvin("estate", "take", "--csv", table.toString(), "--reason", "t").text())
        .contains("no column “destination”");
  }

  private static String[] with(String[] command, String... more) {
    String[] whole = java.util.Arrays.copyOf(command, command.length + more.length);
    System.arraycopy(more, 0, whole, command.length, more.length);
    return whole;
  }

  @Test
  void aLogFromStandardInputCountsOnce() {
    String line =
        Instant.now().minusSeconds(60)
            + " h sshd[7]: Accepted publickey for nobody-knows from 10.9.8.7 port 7 ssh2: ED25519 "
            + key().fingerprintText()
            + "\n";
    String[] read = {"./tolvin", "use", "read", "apps.skerrymoor.example", "-", "--output", "json"};
    assertThat(site.fed(line + line, read).out().replaceAll("\\s", ""))
        .contains("\"counted\":1,", "\"again\":1,");
    assertThat(site.fed(line, read).out().replaceAll("\\s", ""))
        .contains("\"counted\":0,", "\"again\":1,");
    assertThat(good("use", "list", "apps.skerrymoor.example").out()).contains("nobody-knows");
  }
}
