package tolvin.core.people;

/** What an API token may do; each includes the ones before it. */
public enum TokenScope {
  /** Look, and change nothing. */
  READ,

  /** The daily work: register, place, withdraw, prove, sweep, rotate. */
  OPERATE,

  /** Also what the daily work rests on: destinations, rules, freezes, lists, system sheets. */
  ADMINISTER;

  /** Whether who has this may do what needs another. */
  public boolean covers(TokenScope needed) {
    return compareTo(needed) >= 0;
  }
}
