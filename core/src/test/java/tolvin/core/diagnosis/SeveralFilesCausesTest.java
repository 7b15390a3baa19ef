package tolvin.core.diagnosis;

import static org.assertj.core.api.Assertions.assertThat;

import java.nio.charset.StandardCharsets;
import java.time.Instant;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import tolvin.core.diagnosis.Circumstances.KeysFile;
import tolvin.core.diagnosis.Circumstances.PathStep;
import tolvin.core.key.KeyType;
import tolvin.core.key.OneLine;
import tolvin.core.key.PublicKey;
import tolvin.core.key.Samples;
import tolvin.core.server.ServerAbility;

/** Two files in which a server looks for an account's keys, and what one says of the other. */
class SeveralFilesCausesTest {
  private static final Instant NOW = Instant.parse("2026-12-01T12:00:00Z");

  /**
   * What is wrong with the file that the key is not in explains nothing.
   *
   * @param first whether and how the key stands in the first file
   * @param second likewise in the second
   * @param bad the files that the server's log says are too open
   */
  @ParameterizedTest
  @CsvSource(
      nullValues = "nothing",
      value = {
        "good, absent, nothing, OTHER_KEYS_FILE",
        "absent, good, nothing, OTHER_KEYS_FILE",
        "good, absent, second, OTHER_KEYS_FILE",
        "absent, good, first, OTHER_KEYS_FILE",
        "good, absent, first, OPEN_FILE",
        "absent, good, second, OPEN_FILE",
        "absent, good, first second, OPEN_FILE",
        "good, ended, second, OTHER_KEYS_FILE",
        "ended, good, nothing, OTHER_KEYS_FILE",
        "ended, absent, second, EXPIRED",
        "absent, absent, second, OPEN_FILE",
        "absent, absent, nothing, NOT_REGISTERED",
        "commented, absent, nothing, LINE_COMMENTED_OUT",
        "commented, good, nothing, OTHER_KEYS_FILE",
      })
  void onlyTheKeysOwnFileExplains(String first, String second, String bad, CauseKind expected)
      throws Exception {
    PublicKey key = OneLine.read(Samples.line(KeyType.ED25519)).orRefuse().key();
    List<String> log =
        bad == null
            ? List.of("Failed publickey for isla from 127.0.0.1 port 5 ssh2: " + key.fingerprint())
            : List.of(bad.split(" ")).stream()
                .map(f -> "Authentication refused: bad ownership or modes for file /h/" + f)
                .toList();
    Circumstances about =
        new Circumstances(
            new Circumstances.Wanted("isla", "sftp", 22, List.of(), Optional.of(key)),
            Circumstances.Outcome.REFUSED,
            Optional.empty(),
            Optional.of(
                new Circumstances.ServerSide(
                    Optional.of(log),
                    List.of(file("first", first, key), file("second", second, key)))),
            Optional.empty(),
            Circumstances.Books.NONE,
            NOW);
    List<Cause> causes = Diagnosis.of(about).causes();
    assertThat(causes).extracting(Cause::kind).startsWith(expected);
    if (expected == CauseKind.OPEN_FILE && !first.equals(second)) {
      String holding = first.equals("good") ? "first" : "second";
      assertThat(causes.get(0).sentence()).contains("/h/" + holding);
    }
  }

  private static KeysFile file(String name, String how, PublicKey key) {
    String text =
        switch (how) {
          case "good" -> key.line();
          case "ended" -> "expiry-time=\"20250101Z\" " + key.line();
          case "commented" -> "#" + key.line();
          default -> "";
        };
    return new KeysFile(
        "/h/" + name,
        ServerAbility.OPENSSH,
        Optional.of(text.getBytes(StandardCharsets.ISO_8859_1)),
        List.of(new PathStep("/h/" + name, false, 0660, 1000)),
        Map.of(),
        Map.of());
  }
}
