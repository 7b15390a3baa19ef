package tolvin.service.web;

/** The roles; every call names who may call it, and everything else is denied. */
public final class Role {
  /** May do everything. */
  public static final String ADMINISTRATOR = "administrator";

  /** May see and prove what belongs to their own identity. */
  public static final String SELF = "self";

  private Role() {}
}
