package tolvin.core.people;

/** What somebody who signs in may do. */
public enum UserRole {
  /** Everything that needs no other person. */
  ADMINISTRATOR,

  /** See and prove what belongs to their own identity. */
  SELF
}
