package tolvin.api.people;

/**
 * A change of one's own password.
 *
 * @param password the one so far
 * @param next the new one
 */
public record PasswordRequest(String password, String next) {
  @Override
  public String toString() {
    return "Password[]";
  }
}
