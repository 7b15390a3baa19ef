package tolvin.core.sweep;

/** What settles a finding. */
public enum Deed {
  /** Take what is there into the books: the key, whose it is, and that it stands there. */
  ADOPT,
  /** Make it again as the books say. */
  PUT_BACK,
  /** Take it out. */
  WITHDRAW,
  /** Leave it as it is until a date, for a reason. */
  ACCEPT;

  /** Its word in commands and messages. */
  public String word() {
    return name().toLowerCase(java.util.Locale.ROOT).replace('_', '-');
  }
}
