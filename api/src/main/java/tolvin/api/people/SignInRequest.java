package tolvin.api.people;

/** Login and password. */
public record SignInRequest(String login, String password) {
  @Override
  public String toString() {
    return "SignIn[" + login + "]";
  }
}
