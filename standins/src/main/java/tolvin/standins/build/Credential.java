package tolvin.standins.build;

/** A private key in the store. Fields are open, since it is kept as JSON. */
public final class Credential {
  /** The entry that it belongs to. */
  public String name;

  /** Its SHA-256 fingerprint. */
  public String fingerprint;

  /** The file that jobs sign in with. */
  public String file;

  /** Whether it is the one in use. */
  public boolean current;

  public String since;
}
