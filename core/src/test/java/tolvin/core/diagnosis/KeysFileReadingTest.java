package tolvin.core.diagnosis;

import static org.assertj.core.api.Assertions.assertThat;
import static tolvin.core.diagnosis.Cause.Certainty.CERTAIN;
import static tolvin.core.diagnosis.Cause.Certainty.LIKELY;

import java.nio.charset.StandardCharsets;
import java.time.Instant;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.stream.Stream;
import org.junit.jupiter.api.DynamicTest;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.TestFactory;
import tolvin.core.diagnosis.Cause.Certainty;
import tolvin.core.diagnosis.Circumstances.KeysFile;
import tolvin.core.form.ExchangeFile;
import tolvin.core.key.KeyType;
import tolvin.core.key.OneLine;
import tolvin.core.key.PublicKey;
import tolvin.core.key.Samples;
import tolvin.core.server.ServerAbility;
import tolvin.core.server.ServerKind;

/** Files of keys as they are found on servers: what is wrong with them, and how sure that is. */
class KeysFileReadingTest {
  private static final Instant NOW = Instant.parse("2026-12-01T12:00:00Z");

  private record File(String name, String content, CauseKind cause, Certainty certainty) {
    static File good(String name, String content) {
      return new File(name, content, null, null);
    }
  }

  @TestFactory
  Stream<DynamicTest> whatIsWrongIsToldAndNoLineHidesOneThatLetsTheKeyIn() throws Exception {
    PublicKey key = OneLine.read(Samples.line(KeyType.ED25519)).orRefuse().key();
    String line = key.line("crane 4");
    String other = Samples.line(KeyType.RSA) + " other";
    String ended = "expiry-time=\"20250101Z\" " + line;
    String unknown = "no-such-option " + line;
    String ignored = "from=\"10.0.0.0/8\",from=\"10.0.0.0/8\" " + line;
    String authority = "cert-authority " + line;
    String body = line.split(" ")[1];
    List<File> files = new ArrayList<>();
    files.add(File.good("the key alone", line));
    files.add(File.good("among others", other + "\n# page\n\n" + line + "\r\n" + other));
    for (String bad :
        List.of(ended, unknown, ignored, authority, "# " + line, line.substring(0, 40))) {
      files.add(File.good("good behind “" + bad.split(" ")[0] + "”", bad + "\n" + line));
      files.add(File.good("good before “" + bad.split(" ")[0] + "”", line + "\n" + bad));
    }
    files.add(new File("ended", ended, CauseKind.EXPIRED, CERTAIN));
    files.add(new File("an option of other servers", unknown, CauseKind.LINE_OPTION, LIKELY));
    files.add(
        new File("doubtful behind ended", ended + "\n" + unknown, CauseKind.LINE_OPTION, LIKELY));
    files.add(new File("ignored", ignored, CauseKind.LINE_OPTION, CERTAIN));
    files.add(new File("an authority", authority, CauseKind.AUTHORITY_LINE, CERTAIN));
    files.add(new File("commented out", "#" + line, CauseKind.LINE_COMMENTED_OUT, CERTAIN));
    files.add(new File("glued", other + line, CauseKind.LINES_GLUED, CERTAIN));
    files.add(
        new File(
            "wrapped",
            line.replace(body, body.substring(0, 30) + "\n" + body.substring(30)),
            CauseKind.LINE_WRAPPED,
            CERTAIN));
    files.add(new File("cut", line.substring(0, 70), CauseKind.LINE_DAMAGED, CERTAIN));
    files.add(
        new File("with a mark", "\u00ef\u00bb\u00bf" + line, CauseKind.BYTE_ORDER_MARK, CERTAIN));
    return files.stream()
        .map(
            file ->
                DynamicTest.dynamicTest(
                    file.name(),
                    () -> {
                      List<Cause> causes = read(file.content(), key);
                      if (file.cause() == null) {
                        assertThat(causes).isEmpty();
                      } else {
                        assertThat(causes)
                            .singleElement()
                            .satisfies(
                                cause -> {
                                  assertThat(cause.kind()).isEqualTo(file.cause());
                                  assertThat(cause.certainty()).isEqualTo(file.certainty());
                                });
                      }
                    }));
  }

  /** A server that takes blocks reads no key from a line. */
  @Test
  void inAFileOfBlocksItIsToldHowTheKeyHasToStand() throws Exception {
    PublicKey key = OneLine.read(Samples.line(KeyType.ED25519)).orRefuse().key();
    String block = ExchangeFile.write(key, "crane 4");
    ServerAbility blocks = ServerAbility.usual(ServerKind.PROFTPD);
    assertThat(read(block, key, blocks)).isEmpty();
    assertThat(read(key.line("crane 4") + "\n", key, blocks))
        .singleElement()
        .satisfies(cause -> assertThat(cause.kind()).isEqualTo(CauseKind.OTHER_FORM));
    for (String spoiled :
        List.of(
            block.replace("\n", "\r\n"),
            block.replace("---- END", "--- END"),
            block.replace("---- BEGIN", "-- BEGIN"))) {
      assertThat(read(spoiled, key, blocks))
          .singleElement()
          .satisfies(
              cause -> {
                assertThat(cause.kind()).isEqualTo(CauseKind.LINE_DAMAGED);
                assertThat(cause.sentence()).contains("block");
              });
    }
  }

  private static List<Cause> read(String content, PublicKey key) {
    return read(content, key, ServerAbility.OPENSSH);
  }

  private static List<Cause> read(String content, PublicKey key, ServerAbility server) {
    KeysFile file =
        new KeysFile(
            "/home/boats/.ssh/authorized_keys",
            server,
            Optional.of(content.getBytes(StandardCharsets.ISO_8859_1)),
            List.of(),
            Map.of(),
            Map.of());
    return new KeysFileReading(file, key).causes(NOW);
  }
}
