package tolvin.service.problem;

import tolvin.api.ProblemView;

/**
 * A refusal that a caller sees as an RFC 9457 problem. Its words never quote a secret and never the
 * input as a whole.
 */
public final class Problem extends RuntimeException {
  private static final String TYPES = "urn:tolvin:problem:";

  private final int status;
  private final String type;
  private final String title;
  private final String remedy;

  /**
   * A problem.
   *
   * @param status the HTTP status
   * @param type a stable name, the end of the problem's type URI
   * @param title what kind of problem it is
   * @param detail what is wrong here
   * @param remedy what to do; may be empty
   */
  public Problem(int status, String type, String title, String detail, String remedy) {
    super(detail, null, false, false);
    this.status = status;
    this.type = type;
    this.title = title;
    this.remedy = remedy;
  }

  /** The problem as it is sent. */
  public ProblemView body() {
    return new ProblemView(
        TYPES + type, title, status, getMessage(), remedy.isEmpty() ? null : remedy);
  }

  /** The HTTP status. */
  public int status() {
    return status;
  }

  /** The stable name. */
  public String type() {
    return type;
  }

  /** Something that is asked for is not there. */
  public static Problem notFound(String word, String which) {
    return new Problem(
        404,
        "not-found",
        "Not found",
        "There is no " + word + " " + which + ".",
        "List the " + word + "s to see which there are.");
  }

  /** The input is not what it must be. */
  public static Problem invalid(String detail, String remedy) {
    return new Problem(422, "invalid-input", "Input refused", detail, remedy);
  }

  /** The state of things does not allow it. */
  public static Problem conflict(String type, String detail, String remedy) {
    return new Problem(409, type, "Not possible as things are", detail, remedy);
  }
}
