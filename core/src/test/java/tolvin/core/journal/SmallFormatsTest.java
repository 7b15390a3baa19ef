package tolvin.core.journal;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import java.security.SecureRandom;
import java.time.Duration;
import java.time.Instant;
import java.time.ZoneOffset;
import java.util.UUID;
import org.junit.jupiter.api.Test;
import tolvin.core.Ids;
import tolvin.core.schedule.Cadence;

class SmallFormatsTest {
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
