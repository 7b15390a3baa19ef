package tolvin.core.authorized;

import static org.assertj.core.api.Assertions.assertThat;

import java.lang.management.ManagementFactory;
import java.lang.management.ThreadMXBean;
import java.nio.charset.StandardCharsets;
import java.security.SecureRandom;
import java.util.Arrays;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import net.jqwik.api.ForAll;
import net.jqwik.api.From;
import net.jqwik.api.Property;
import net.jqwik.api.Provide;
import net.jqwik.api.constraints.StringLength;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import tolvin.core.authorized.Admission.Kind;
import tolvin.core.form.ExchangeFile;
import tolvin.core.key.PublicKey;
import tolvin.core.pair.KeyPairMaker;
import tolvin.core.server.KeysFormat;
import tolvin.core.server.SaidOfServer;
import tolvin.core.server.ServerAbility;
import tolvin.core.server.ServerKind;

/**
 * Files of keys of servers other than OpenSSH's. What these servers let in is held against them in
 * quantity elsewhere; here is what holds for any file.
 */
class OtherServersFilesTest {
  private static final PublicKey KEY = KeyPairMaker.ed25519(new SecureRandom()).key();
  private static final PublicKey OTHER = KeyPairMaker.ed25519(new SecureRandom()).key();
  private static final String LINE = KEY.line("timetable tolvin:aaaabbbbccccdddd");
  private static final ServerAbility BLOCKS = ServerAbility.usual(ServerKind.PROFTPD);
  private static final ServerAbility DROPBEAR = ServerAbility.usual(ServerKind.DROPBEAR);

  @Provide
  static net.jqwik.api.Arbitrary<byte[]> files() {
    return net.jqwik.api.Arbitraries.of(
            ExchangeFile.write(OTHER, "theirs"),
            ExchangeFile.BEGIN + "\n",
            ExchangeFile.END + "\n",
            OTHER.line("theirs") + "\r\n",
            "# x\r",
            "Comment: a\\\n",
            "x".repeat(4200),
            "\u00e9\0",
            "\n",
            "\r")
        .list()
        .ofMaxSize(6)
        .map(parts -> String.join("", parts).getBytes(StandardCharsets.ISO_8859_1));
  }

  @Property(tries = 500)
  void whatIsAddedIsThereOrSaidNotToBeAndNothingElseChanges(
      @ForAll @From("files") byte[] file, @ForAll boolean blocks) {
    AuthorizedKeys before = AuthorizedKeys.of(file, blocks ? BLOCKS : DROPBEAR);
    assertThat(before.toBytes()).isEqualTo(file);
    AuthorizedKeys after = before.with(LINE);
    assertThat(Arrays.copyOf(after.toBytes(), file.length)).isEqualTo(file);
    List<Kind> read =
        after.linesOf(KEY.fingerprint()).stream().map(line -> line.admission().kind()).toList();
    boolean isIn = read.contains(Kind.LETS_IN);
    boolean mayBeIn = read.stream().anyMatch(kind -> kind != Kind.IGNORED); // nobody can be sure
    assertThat(after.whyNot(LINE).isEmpty()).isEqualTo(mayBeIn);
    if (isIn && after.lines().size() == before.lines().size() + 1) { // else it is not written
      String left = new String(after.without(LINE).toBytes(), StandardCharsets.ISO_8859_1);
      assertThat(left.strip()).isEqualTo(new String(file, StandardCharsets.ISO_8859_1).strip());
    }
  }

  /** A header that goes on into the next block: what becomes of that one is in doubt. */
  @Test
  void whatFollowsAHeaderThatGoesOnIsInDoubt() {
    String begun = ExchangeFile.BEGIN + "\n# x\r\u00e9\0Comment: a\\\n";
    whatIsAddedIsThereOrSaidNotToBeAndNothingElseChanges(
        begun.getBytes(StandardCharsets.ISO_8859_1), true);
  }

  @Property(tries = 500)
  void aBlockIsCalledAsTheLineThatItWasMadeOf(@ForAll @StringLength(max = 200) String any) {
    String comment = "x" + any.replaceAll("[\\p{C}\\p{Z}]", "_") + " tolvin:aaaabbbbccccdddd";
    String line =
        new String(KEY.line(comment).getBytes(StandardCharsets.UTF_8), StandardCharsets.ISO_8859_1);
    AuthorizedKeys file = AuthorizedKeys.of(new byte[0], BLOCKS).with(line);
    assertThat(file.has(line)).isTrue();
    assertThat(file.without(line).toBytes()).isEmpty();
  }

  @Test
  void aBlockThatIsNeverEndedIsNotBuiltUpon() {
    byte[] begun = (ExchangeFile.BEGIN + "\nAAAA\n").getBytes();
    assertThat(AuthorizedKeys.of(begun, BLOCKS).with(LINE).whyNot(LINE)).isPresent();
  }

  /** Also where no block ends, no header ends, no line ends. */
  @Test
  void readingTakesTimeThatGrowsWithTheLengthAlone() {
    for (String piece : List.of(ExchangeFile.BEGIN + "\n", "Comment: x\\\n", "x", "a:")) {
      long few = took(piece.repeat(20_000));
      long many = took(piece.repeat(80_000));
      assertThat(many).as(piece).isLessThan(Math.max(few, 20_000_000) * 12);
    }
  }

  /** The least of several times that this thread computed; what else runs does not count. */
  private static long took(String file) {
    byte[] bytes = file.getBytes(StandardCharsets.ISO_8859_1);
    ThreadMXBean clock = ManagementFactory.getThreadMXBean();
    long least = Long.MAX_VALUE;
    for (int i = 0; i < 4; i++) {
      long began = clock.getCurrentThreadCpuTime();
      AuthorizedKeys.of(bytes, BLOCKS);
      least = Math.min(least, clock.getCurrentThreadCpuTime() - began);
    }
    return least;
  }

  @ParameterizedTest
  @CsvSource({
    "SSH-2.0-OpenSSH_9.2p1 Debian-2+deb12u3, OPENSSH",
    "SSH-2.0-dropbear_2022.83, DROPBEAR",
    "SSH-2.0-dropbear, DROPBEAR",
    "SSH-2.0-mod_sftp, PROFTPD",
    "SSH-2.0-Quayside_4.1, OTHER",
    "SSH-2.0-NotOpenSSH_9.2, OTHER",
    "'', OTHER",
  })
  void kindsAreRecognisedByWhatServersCallThemselves(String identification, ServerKind kind) {
    assertThat(ServerKind.of(identification)).isEqualTo(kind);
  }

  @Test
  void whatSomebodySaidGoesFirst() {
    assertThat(SaidOfServer.in(Map.of()).ability(Optional.empty()))
        .isEqualTo(ServerAbility.OPENSSH);
    SaidOfServer said =
        SaidOfServer.in(
            Map.of("server", "other", "format", "as-it-says", "options", "restrict, No-PTY"));
    ServerAbility ability = said.ability(Optional.of("SSH-2.0-dropbear"));
    assertThat(ability.kind()).isEqualTo(ServerKind.OTHER);
    assertThat(ability.format()).isEqualTo(KeysFormat.LINES);
    assertThat(kind("no-pty,restrict " + LINE, ability)).isEqualTo(Kind.LETS_IN);
    assertThat(kind("no-pty,no-user-rc " + LINE, ability)).isEqualTo(Kind.DOUBTFUL);
    assertThat(kind("no-pty " + LINE, ServerAbility.usual(ServerKind.OTHER)))
        .isEqualTo(Kind.DOUBTFUL);
    assertThat(kind(LINE, ServerAbility.usual(ServerKind.OTHER))).isEqualTo(Kind.LETS_IN);
  }

  private static Kind kind(String line, ServerAbility server) {
    return AuthorizedKeys.of(line.getBytes(), server).lines().get(0).admission().kind();
  }
}
