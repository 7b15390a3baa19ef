package tolvin.core.registration;

/** How far a registration of many keys is. */
public enum RegistrationState {
  /** One key is placed and tried before the others are begun. */
  TESTING,

  /** So many at once are placed on each destination. */
  RUNNING,

  /** The one that was to show that it works failed: a person says whether to go on. */
  STOPPED,

  /** Nothing is left to be done. */
  DONE,

  /** A person ended it; what stood there by then stays. */
  CANCELLED;

  /** Whether nothing more comes of it. */
  public boolean isOver() {
    return this == DONE || this == CANCELLED;
  }
}
