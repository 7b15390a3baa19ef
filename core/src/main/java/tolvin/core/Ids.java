package tolvin.core;

import java.security.SecureRandom;
import java.time.Instant;
import java.util.UUID;

/** Makes UUIDs of version 7 (RFC 9562 section 5.7): they sort by the time they were made. */
public final class Ids {
  private Ids() {}

  /** A new id. */
  public static UUID make(Instant now, SecureRandom random) {
    long high = now.toEpochMilli() << 16 | 0x7000 | random.nextInt(1 << 12);
    long low = random.nextLong() & 0x3fffffffffffffffL | 0x8000000000000000L;
    return new UUID(high, low);
  }
}
