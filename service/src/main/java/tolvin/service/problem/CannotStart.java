package tolvin.service.problem;

/** Ends the service while it starts, with a sentence instead of a stack trace. */
public final class CannotStart {
  private CannotStart() {}

  /** Says why, and ends the process at once: nothing is under way yet. */
  public static void because(String sentence) {
    System.err.println("Tolvin does not start: " + sentence);
    System.err.flush();
    Runtime.getRuntime().halt(1);
  }
}
