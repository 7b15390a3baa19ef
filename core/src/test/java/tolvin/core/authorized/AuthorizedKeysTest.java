package tolvin.core.authorized;

import static org.assertj.core.api.Assertions.assertThat;

import java.nio.charset.StandardCharsets;
import java.security.SecureRandom;
import net.jqwik.api.ForAll;
import net.jqwik.api.Property;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.ValueSource;
import tolvin.core.key.PublicKey;
import tolvin.core.pair.KeyPairMaker;

class AuthorizedKeysTest {
  private static final PublicKey KEY = KeyPairMaker.ed25519(new SecureRandom()).key();
  private static final String LINE = KEY.line("timetable tolvin:aaaabbbbccccdddd");

  @Property(tries = 2000)
  void anyFileIsKeptByteForByte(@ForAll byte[] file) {
    assertThat(AuthorizedKeys.of(file).toBytes()).isEqualTo(file);
  }

  @Property(tries = 2000)
  void addingAndTakingOutLeavesEveryForeignByte(@ForAll byte[] file) {
    AuthorizedKeys added = AuthorizedKeys.of(AuthorizedKeys.of(file).with(LINE).toBytes());
    assertThat(added.has(LINE)).isTrue();
    byte[] after = added.without(LINE).toBytes();
    assertThat(after).startsWith(file);
    assertThat(
            new String(after, file.length, after.length - file.length, StandardCharsets.ISO_8859_1))
        .isIn("", "\n", "\r\n");
  }

  @ParameterizedTest
  @ValueSource(strings = {"# ours\r\nx y\r\n", "# ours\r\nlast"})
  void theLineEndingOfTheFileIsUsed(String file) {
    assertThat(new String(AuthorizedKeys.of(file.getBytes()).with(LINE).toBytes()))
        .endsWith("\r\n" + LINE + "\r\n");
  }

  @ParameterizedTest
  @ValueSource(
      strings = {
        "",
        "restrict ",
        "from=\"10.0.0.*,!10.0.0.1\",command=\"echo \\\"a b\\\"\" ",
        "command=\"ssh-rsa AAAA\" ",
        "  \t"
      })
  void keysBehindOptionsAreFound(String options) {
    AuthorizedKeys file = AuthorizedKeys.of((options + LINE + "\n# " + LINE + "\n").getBytes());
    assertThat(file.linesOf(KEY.fingerprint())).hasSize(1);
    assertThat(file.lines().get(0).options()).isEqualTo(options.strip());
  }

  @Test
  void onlyTheExactLineIsTakenOut() {
    String changed = "restrict " + LINE;
    AuthorizedKeys file =
        AuthorizedKeys.of((changed + "\n" + LINE + "\n" + LINE + " \n").getBytes());
    assertThat(new String(file.without(LINE).toBytes())).isEqualTo(changed + "\n" + LINE + " \n");
  }
}
