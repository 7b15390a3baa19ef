package tolvin.cli;

/** A command that cannot be done, with the reason and the remedy. */
final class Refused extends Exception {
  private final int exitStatus;

  Refused(String reason) {
    this(reason, 1);
  }

  Refused(String reason, int exitStatus) {
    super(reason);
    this.exitStatus = exitStatus;
  }

  int exitStatus() {
    return exitStatus;
  }
}
