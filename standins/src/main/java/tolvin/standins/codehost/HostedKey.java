package tolvin.standins.codehost;

import java.time.Instant;

/** A key that is registered on the code host. Fields are open, since it is kept as JSON. */
public final class HostedKey {
  /** Its number. */
  public int number;

  /** Whose it is: {@code person:LOGIN} or {@code repository:OWNER/NAME}. */
  public String holder;

  public String title;

  /** The key without a comment. */
  public String line;

  /** sign-in or signing. */
  public String purpose;

  /** read or write. */
  public String access;

  public String added;
  public String removed;

  /** When it stops working by itself; absent for never. */
  public String ends;

  /** When it takes effect at the SSH door. */
  Instant worksFrom(java.time.Duration delay) {
    return Instant.parse(added).plus(delay);
  }

  /** Until when it works there. */
  boolean works(Instant now, java.time.Duration delay) {
    return !worksFrom(delay).isAfter(now)
        && (ends == null || Instant.parse(ends).isAfter(now))
        && (removed == null || Instant.parse(removed).plus(delay).isAfter(now));
  }
}
