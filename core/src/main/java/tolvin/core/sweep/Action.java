package tolvin.core.sweep;

/** What settles a finding. */
public enum Action {
  /** Take what is there into the books: the key, whose it is, and that it stands there. */
  ADOPT,
  /** Make it again as the books say. */
  RESTORE,
  /** Take it out. */
  WITHDRAW,
  /** Leave it as it is until a date, for a reason. */
  ACCEPT
}
