package tolvin.service.web;

/**
 * The words of {@link tolvin.core.people.UserRole}, as calls name who may call them; everything
 * else is denied.
 */
public final class Role {
  /** May do everything. */
  public static final String ADMINISTRATOR = "administrator";

  /** May see and prove what belongs to their own identity. */
  public static final String SELF = "self";

  private Role() {}
}
