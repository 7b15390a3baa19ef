package tolvin.core.authorized;

import static org.assertj.core.api.Assertions.assertThat;

import java.util.List;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;

class ReachTest {
  private static final String KEY =
      "ssh-ed25519 AAAAC3NzaC1lZDI1NTE5AAAAIGL2Zyy2wX4X1RmZr0mYcBpNqhzrj+BjC1pHoq2F1c1d somebody";

  private static String line(String options) {
    return (options == null || options.equals("-") ? "" : options + " ") + KEY;
  }

  /** Of two entries with one key: which of them can stand for both, in both orders. */
  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        "from=\"10.0.0.1\" | - | second",
        "from=\"10.0.0.1\" | from=\"10.0.0.2\" | neither",
        "command=\"/bin/true\" | - | second",
        "command=\"/bin/true\" | restrict,command=\"/bin/true\" | first",
        "restrict | restrict,pty | second",
        "- | restrict,pty | first",
        "expiry-time=\"20200101\" | - | second",
        "expiry-time=\"20300101\" | expiry-time=\"20310101\" | neither",
        "environment=\"A=b\" | - | first",
        "no-pty | no-pty | both",
        "- | no-pty, | first",
        "- | no-such-option | first",
        "no-pty,,PTY | - | second",
        "no-pty,,PTY | restrict | neither",
      })
  void whatLetsInMoreCanStandForBoth(String one, String other, String which) {
    String first = line(one);
    String second = line(other);
    assertThat(Reach.widest(List.of(first, second)).orElse("none"))
        .isEqualTo(
            switch (which) {
              case "first", "both" -> first;
              case "second" -> second;
              default -> "none";
            });
    assertThat(Reach.widest(List.of(second, first)).orElse("none"))
        .isEqualTo(
            switch (which) {
              case "first" -> first;
              case "second", "both" -> second;
              default -> "none";
            });
  }
}
