package tolvin.core.signin;

import static org.assertj.core.api.Assertions.assertThat;

import java.time.Instant;
import java.time.OffsetDateTime;
import java.time.ZoneId;
import java.time.ZoneOffset;
import java.time.format.DateTimeFormatter;
import java.util.List;
import java.util.Optional;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import net.jqwik.api.Arbitraries;
import net.jqwik.api.Arbitrary;
import net.jqwik.api.ForAll;
import net.jqwik.api.Property;
import net.jqwik.api.Provide;
import net.jqwik.api.constraints.IntRange;
import net.jqwik.api.constraints.LongRange;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;

/** Lines of servers' logs, read by what the server itself says in them. */
class LoggedLineTest {
  private static final String FP = "SHA256:" + "x".repeat(43);
  private static final Instant NOW = Instant.parse("2030-03-01T12:00:00Z");

  /** What a sign-in and a refusal look like, as a pattern; the reader is written out for speed. */
  private static final Pattern PATTERN =
      Pattern.compile(
          "(?:Accepted|Failed) publickey for (.{1,256}) from ([0-9A-Fa-f.:]{2,64}) port (\\d{1,5})"
              + " ssh2: [A-Za-z0-9-]{1,40} (SHA256:[A-Za-z0-9+/]{43})");

  @ParameterizedTest
  @CsvSource({
    "'Accepted publickey for fuel from 127.0.0.21 port 40001 ssh2: ED25519 FP',fuel,127.0.0.21",
    "'Nov 23 07:00:00 quay sshd[12]: Accepted publickey for fuel from ::1 port 4 ssh2: RSA FP',fuel,::1",
    "'Accepted key ED25519 FP found at /home/fuel/.ssh/authorized_keys:1',,",
    "'Failed publickey for fuel from 127.0.0.21 port 40001 ssh2: ED25519 FP',,",
    "'Invalid user Accepted publickey for fuel from 127.0.0.1 port 1 ssh2: RSA FP from 10.0.0.1',,",
    "'h sshd[9]: Failed publickey for invalid user a sshd[1]: Accepted publickey for root from 9.9.9.9 port 33 ssh2: ED25519 FP',,",
    "'Nov 23 07:00:00 h sshd[9]: Failed publickey for invalid user Nov 23 07:00:00 h sshd[1]: Accepted publickey for root from 9.9.9.9 port 33 ssh2: ED25519 FP',,",
    "'<38>1 2030-03-01T11:00:00.5Z quay sshd 12 - - Accepted publickey for fuel from ::1 port 4 ssh2: RSA FP',fuel,::1",
    "'<38>1 2030-03-01T11:00:00Z quay app 12 - - sshd 12 - - Accepted publickey for fuel from ::1 port 4 ssh2: RSA FP',,",
    "'Accepted publickey for a from 1.2.3.4 port 5 ssh2: RSA FP from 9.9.9.9 port 6 ssh2: RSA FP','a from 1.2.3.4 port 5 ssh2: RSA FP',9.9.9.9",
    "'2030-03-01T11:00:00.123456+01:00 quay sshd-session[7]: Accepted publickey for fuel from ::1 port 4 ssh2: RSA FP',fuel,::1",
    "'2030-03-01T11:00:00+0100 quay sshd[7]: Accepted publickey for fuel from ::1 port 4 ssh2: RSA FP',fuel,::1",
    "'Accepted publickey for fuel from fe80::2%br-lan_1 port 4 ssh2: ED25519-SK FP',fuel,fe80::2%br-lan_1",
    "'Accepted publickey for fuel from fe80::2%a%b port 4 ssh2: ED25519 FP',,",
    "'x Accepted publickey for fuel from 127.0.0.21 port 40001 ssh2: ED25519 FP',,",
    "'[31191] Dec 01 15:39:27 Pubkey auth succeeded for ''fuel'' with ssh-ed25519 key FP from 127.0.0.1:55754',fuel,127.0.0.1",
    "'Dec  1 15:39:27 quay dropbear[31191]: Pubkey auth succeeded for ''fuel'' with ssh-rsa key FP from ::1:55754',fuel,::1",
    "'Dec  1 15:39:27 quay sshd[31191]: Pubkey auth succeeded for ''fuel'' with ssh-rsa key FP from ::1:55754',,",
    "'Dec  1 15:39:27 quay dropbear[9]: Accepted publickey for fuel from ::1 port 4 ssh2: RSA FP',,",
    "'Dec  1 15:39:27 h sshd[9]: Invalid user [1] Dec 01 15:39:27 Pubkey auth succeeded for ''fuel'' with ssh-rsa key FP from ::1:5 from ::1 port 4',,",
    "'[31191] Dec 01 15:39:27 Pubkey auth succeeded for ''fuel'' with ssh-rsa key FP from ::1:55754, extra auth required',,",
    "'signed-in 2030-03-01T11:00:00+0100 PASS 230 publickey 127.0.0.1 4 SHA256 HEX fuel',fuel,127.0.0.1",
    "'signed-in 2030-03-01T11:00:00+0100 PASS 530 publickey 127.0.0.1 4 SHA256 HEX -',,",
    "'signed-in 2030-03-01T11:00:00+0100 PASS 230 password 127.0.0.1 4 SHA256 HEX fuel',,",
    "'x signed-in 2030-03-01T11:00:00+0100 PASS 230 publickey 127.0.0.1 4 SHA256 HEX fuel',,",
  })
  void onlySignInsThatHappenedAreRead(String line, String user, String address) {
    String hex = "c7" + ":1c".repeat(31);
    var read =
        LoggedLine.read(line.replace("FP", FP).replace("HEX", hex), NOW)
            .flatMap(LoggedLine::signIn);
    assertThat(read.map(ConnectionEvent::user).orElse(null))
        .isEqualTo(user == null ? null : user.replace("FP", FP));
    assertThat(read.map(ConnectionEvent::address).orElse(null)).isEqualTo(address);
  }

  @ParameterizedTest
  @CsvSource({
    "'Failed publickey for fuel from ::1 port 4 ssh2: RSA FP',Refusal,fuel",
    "'Failed publickey for invalid user x from 1.1.1.1 port 2 ssh2: RSA FP from ::1 port 4 ssh2: RSA FP',Refusal,invalid user x from 1.1.1.1 port 2 ssh2: RSA FP",
    "'2030-03-01T11:00:00+0100 h sshd[7]: Disconnected from user fuel ::1 port 4',End,fuel",
    "'Connection closed by user fuel fe80::1%eth0 port 4',End,fuel",
    "'Timeout, client not responding from user fuel ::1 port 4',End,fuel",
    "'Connection closed by 10.0.0.1 port 4 [preauth]',,",
    "'[7] Mar 01 11:00:00 Pubkey auth bad signature for ''fuel'' with key FP from ::1:4',Refusal,fuel",
    "'[7] Mar 01 11:00:00 Exit (fuel) from <::1:4>: Disconnect received',End,fuel",
    "'Nov 23 07:00:00 h sshd[9]: Invalid user Disconnected from user fuel ::1 port 4 from ::1 port 4',,",
  })
  void refusalsAndEndsOfConnectionsAreRead(String line, String kind, String user) {
    var read = LoggedLine.read(line.replace("FP", FP), NOW).map(LoggedLine::event);
    assertThat(read.map(e -> e.getClass().getSimpleName()).orElse(null)).isEqualTo(kind);
    assertThat(read.map(ConnectionEvent::user).orElse(null))
        .isEqualTo(user == null ? null : user.replace("FP", FP));
    assertThat(LoggedLine.mayTell(line)).isEqualTo(kind != null || line.contains("Disconnected"));
  }

  @Test
  void aLinesTimeAndDigestTellItFromOthers() {
    Instant now = Instant.parse("2030-01-01T00:30:00Z");
    String old =
        "Dec 31 23:00:00 quay sshd[12]: Accepted publickey for a from ::1 port 4 ssh2: RSA ";
    LoggedLine read = LoggedLine.read(old + FP, now).orElseThrow();
    assertThat(read.at()).contains(Instant.parse("2029-12-31T23:00:00Z"));
    LoggedLine other = LoggedLine.read(old.replace("[12]", "[13]") + FP, now).orElseThrow();
    assertThat(read.digest()).isNotZero().isNotEqualTo(other.digest());
    LineSet set = LineSet.empty().with(new long[] {read.digest(), 7, 7});
    assertThat(LineSet.of(set.toBytes()).has(read.digest())).isTrue();
    assertThat(set.size()).isEqualTo(2);
    assertThat(set.has(other.digest())).isFalse();
  }

  @Provide
  Arbitrary<String> lines() {
    return Arbitraries.of(
            "Accepted publickey for ",
            "Failed publickey for ",
            "fuel",
            " from ",
            "::1",
            "10.0.0.7",
            " port ",
            "40001",
            "123456",
            " ssh2: ",
            "ED25519",
            " ",
            FP,
            FP + "=",
            "x",
            "é")
        .list()
        .ofMaxSize(14)
        .map(parts -> String.join("", parts));
  }

  @Property(tries = 3000)
  void whateverThePatternMatchesIsReadAndNothingElse(@ForAll("lines") String tokens) {
    for (String line :
        List.of(tokens, "Accepted publickey for " + tokens + " from ::1 port 4 ssh2: RSA " + FP)) {
      Matcher said = PATTERN.matcher(line);
      Optional<ConnectionEvent> event = LoggedLine.read(line, NOW).map(LoggedLine::event);
      assertThat(event.isPresent()).as(line).isEqualTo(said.matches());
      event.ifPresent(
          e -> {
            assertThat(e.user()).isEqualTo(said.group(1));
            assertThat(e.address()).isEqualTo(said.group(2));
            assertThat(e.port()).isEqualTo(Integer.parseInt(said.group(3)));
          });
    }
  }

  @Property(tries = 500)
  void anyMomentIsReadAsTheLibraryReadsIt(
      @ForAll @LongRange(min = 0, max = 4_000_000_000L) long second,
      @ForAll @IntRange(max = 999_999_999) int nanos,
      @ForAll @IntRange(min = -17, max = 17) int hours,
      @ForAll @IntRange(max = 9) int digits) {
    OffsetDateTime at =
        Instant.ofEpochSecond(second, nanos)
            .atOffset(ZoneOffset.ofHoursMinutes(hours, hours < 0 ? -30 : 30));
    String form = "yyyy-MM-dd'T'HH:mm:ss" + (digits == 0 ? "" : "." + "S".repeat(digits));
    for (String zone : List.of("XXX", "XX")) {
      String text = DateTimeFormatter.ofPattern(form + zone).format(at);
      assertThat(line(text).at())
          .as(text)
          .contains(
              OffsetDateTime.parse(text, DateTimeFormatter.ofPattern(form + zone)).toInstant());
    }
  }

  @ParameterizedTest
  @CsvSource({
    "2030-02-30T11:00:00Z",
    "2030-02-03T24:01:00Z",
    "2030-02-03T11:00:00+25:00",
    "2030-02-03T11:00:00.1234567890Z",
    "2030-02-0xT11:00:00Z",
    "2030-02-03",
    "2030-02-03T11:00:00+01:60"
  })
  void aTimeThatIsNoneMakesALineWithoutATime(String text) {
    assertThat(line(text).at()).isEmpty();
    assertThat(line(text).digest()).isZero();
  }

  /** A use that is told as hours older than it is would end a watch too early. */
  @ParameterizedTest
  @CsvSource({
    "Jan  2 22:30:00,            UTC,              2030-01-02T22:30:00Z",
    "Jan  2 22:30:00,            America/New_York, 2030-01-03T03:30:00Z",
    "Jan  3 00:30:00,            Asia/Tokyo,       2030-01-02T15:30:00Z",
    "Dec 31 23:30:00,            America/New_York, 2030-01-01T04:30:00Z",
    "Jul  2 12:00:00,            Europe/Oslo,      2029-07-02T10:00:00Z",
    "2030-01-02T22:30:00,        America/New_York, 2030-01-03T03:30:00Z",
    "2030-01-02T22:30:00.25,     UTC,              2030-01-02T22:30:00.250Z",
    "2030-01-02T22:30:00+0100,   America/New_York, 2030-01-02T21:30:00Z",
    "2030-01-02T22:30:00Z,       America/New_York, 2030-01-02T22:30:00Z",
  })
  void aTimeWithoutAZoneIsTheServers(String time, String zone, Instant at) {
    Instant now = Instant.parse("2030-01-03T04:00:00Z");
    assertThat(line(time, now, ZoneId.of(zone)).at()).contains(at);
  }

  private static LoggedLine line(String time) {
    return line(time, NOW, ZoneOffset.UTC);
  }

  private static LoggedLine line(String time, Instant now, ZoneId zone) {
    String rest = " quay sshd[12]: Accepted publickey for a from ::1 port 4 ssh2: RSA " + FP;
    return LoggedLine.read(time + rest, now, zone).orElseThrow();
  }
}
