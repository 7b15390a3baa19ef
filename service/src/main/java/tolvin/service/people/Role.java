package tolvin.service.people;

/** The roles; every call names who may call it, and everything else is denied. */
public final class Role {
  /** May do everything. */
  public static final String ADMINISTRATOR = "administrator";

  private Role() {}
}
