package tolvin.core.people;

/** How far the life of a user has come. */
public enum UserState {
  /** Holds a link, and has not chosen a password yet. */
  INVITED,

  /** May sign in. */
  ACTIVE,

  /** May not sign in until an administrator enables them again. */
  DISABLED,

  /** Has left; kept for the record, and their login is not given to anybody else. */
  REMOVED
}
