package tolvin.core.journal;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import java.security.SecureRandom;
import java.time.Duration;
import java.time.Instant;
import java.time.ZoneOffset;
import java.util.UUID;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import tolvin.core.Ids;
import tolvin.core.schedule.Cadence;
import tolvin.core.signin.ConnectionEvent;
import tolvin.core.signin.LineSet;
import tolvin.core.signin.LoggedLine;

class SmallFormatsTest {
  private static final String FP = "SHA256:" + "x".repeat(43);

  @Test
  void anyChangedFieldBreaksTheChain() {
    UUID id = new UUID(1, 2);
    Instant at = Instant.parse("2026-01-02T03:04:05.678Z");
    var entry = new Chain.Entry(1, id, at, "actor", "key.registered", "key", "text", "{}");
    byte[] link = Chain.link(Chain.START, entry);
    assertThat(Chain.holds(Chain.START, entry, link)).isTrue();
    var moved = new Chain.Entry(1, id, at, "acto", "rkey.registered", "key", "text", "{}");
    var later =
        new Chain.Entry(1, id, at.plusNanos(1000), "actor", "key.registered", "key", "text", "{}");
    assertThat(Chain.holds(Chain.START, moved, link)).isFalse();
    assertThat(Chain.holds(Chain.START, later, link)).isFalse();
    assertThat(Chain.holds(link, entry, link)).isFalse();
  }

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
    "'x Accepted publickey for fuel from 127.0.0.21 port 40001 ssh2: ED25519 FP',,",
  })
  void onlySignInsThatHappenedAreRead(String line, String user, String address) {
    Instant now = Instant.parse("2030-03-01T12:00:00Z");
    var read = LoggedLine.read(line.replace("FP", FP), now).flatMap(LoggedLine::signIn);
    assertThat(read.map(ConnectionEvent::user).orElse(null))
        .isEqualTo(user == null ? null : user.replace("FP", FP));
    assertThat(read.map(ConnectionEvent::address).orElse(null)).isEqualTo(address);
  }

  @ParameterizedTest
  @CsvSource({
    "'Failed publickey for fuel from ::1 port 4 ssh2: RSA FP',Refusal,fuel",
    "'Failed publickey for invalid user x from 1.1.1.1 port 2 ssh2: RSA FP from ::1 port 4 ssh2: RSA FP',Refusal,invalid user x from 1.1.1.1 port 2 ssh2: RSA FP",
    "'2030-03-01T11:00:00+0100 h sshd[7]: Disconnected from user fuel ::1 port 4',End,fuel",
    "'Connection closed by user fuel ::1 port 4',End,fuel",
    "'Timeout, client not responding from user fuel ::1 port 4',End,fuel",
    "'Connection closed by 10.0.0.1 port 4 [preauth]',,",
    "'Nov 23 07:00:00 h sshd[9]: Invalid user Disconnected from user fuel ::1 port 4 from ::1 port 4',,",
  })
  void refusalsAndEndsOfConnectionsAreRead(String line, String kind, String user) {
    var read =
        LoggedLine.read(line.replace("FP", FP), Instant.parse("2030-03-01T12:00:00Z"))
            .map(LoggedLine::event);
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

  @Test
  void aDueMomentHasItsReason() {
    var cadence =
        new Cadence(
            7, "service accounts on partner servers", Duration.ofDays(90), Duration.ofDays(14));
    var due = cadence.due(Instant.parse("2026-12-14T08:00:00Z"), ZoneOffset.UTC);
    assertThat(due.reason())
        .isEqualTo(
            "due 14 March 2027: every 90 days for service accounts on partner servers (rule 7),"
                + " made 14 December 2026");
    assertThat(due.startAt()).isEqualTo(Instant.parse("2027-02-28T08:00:00Z"));
    assertThatThrownBy(() -> new Cadence(1, "x", Duration.ofDays(1), Duration.ofDays(1)))
        .hasMessageContaining("lead time");
  }

  @Test
  void idsAreOfVersionSevenAndSortByTime() {
    SecureRandom random = new SecureRandom();
    Instant now = Instant.parse("2026-11-23T07:00:00Z");
    UUID first = Ids.make(now, random);
    UUID second = Ids.make(now.plusMillis(1), random);
    assertThat(first.version()).isEqualTo(7);
    assertThat(first.variant()).isEqualTo(2);
    assertThat(first.toString()).isLessThan(second.toString());
  }
}
