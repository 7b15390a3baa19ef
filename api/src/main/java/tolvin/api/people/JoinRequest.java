package tolvin.api.people;

/**
 * A password that somebody chooses with a link.
 *
 * @param link the secret behind the link's #
 */
public record JoinRequest(String link, String password) {
  @Override
  public String toString() {
    return "Join[]";
  }
}
