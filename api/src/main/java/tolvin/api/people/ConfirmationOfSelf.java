package tolvin.api.people;

/** The password of who is signed in, once more. */
public record ConfirmationOfSelf(String password) {
  @Override
  public String toString() {
    return "Confirmation[]";
  }
}
