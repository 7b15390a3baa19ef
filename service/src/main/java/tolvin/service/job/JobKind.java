package tolvin.service.job;

import java.util.UUID;

/** The kinds of work that the service does by itself. */
public enum JobKind {
  /** Moves a rotation on. */
  ROTATION,
  /** Places or withdraws a key outside a rotation. */
  PLACEMENT,
  /** Begins the placements of a registration of many keys, some at a time. */
  REGISTRATION,
  /** Takes a key off again that shuts others out. */
  TAKE_BACK,
  /** Reads the sign-in log of a destination. */
  FEED,
  /** Looks at the health of a destination. */
  HEALTH,
  /** Ends host keys that were accepted until a date. */
  HOST_KEYS_END(true),
  /** Brings a line to a client's file of known hosts. */
  KNOWN_HOST,
  /** Reads a seat again. */
  SEAT,
  /** Destroys the private key of a key that is out of use, once nothing rests on it. */
  DESTRUCTION,
  /** Settles an attempt that may still land, or that left something. */
  SETTLEMENT,
  /** Ends the attempts of workers that did not come back. */
  ABANDONED(true),
  /** Reads accounts and seats that were never read. */
  FIRST_LOOKS(true),
  /** Reads accounts again that were written a lease ago, or where an entry is missing. */
  SECOND_LOOKS(true),
  /** Starts the rotations that are due. */
  START(true),
  /** Starts the sweep of the day. */
  SWEEP(true),
  /** Reads accounts of running sweeps. */
  SWEEP_READING,
  /** Reminds of hand-overs. */
  REMINDERS(true),
  /** Seals the journal. */
  SEAL(true),
  /** Forgets what was kept for a while only. */
  FORGETTING(true);

  /** The subject of a kind of which there is one job in the whole installation. */
  public static final UUID ALL = new UUID(0, 0);

  private final boolean isOne;

  JobKind() {
    this(false);
  }

  JobKind(boolean isOne) {
    this.isOne = isOne;
  }

  /** Whether there is one job of it in the whole installation, whatever is on record. */
  boolean isOne() {
    return isOne;
  }
}
