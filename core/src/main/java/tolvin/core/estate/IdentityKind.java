package tolvin.core.estate;

/** The kinds of identities. */
public enum IdentityKind {
  /** A human being. */
  PERSON,

  /** A program or a job, for which a person is responsible. */
  SERVICE_ACCOUNT
}
