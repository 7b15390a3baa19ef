package tolvin.standins.securitykey;

/** The device does not do it. */
public final class DeviceException extends Exception {
  /** Why not; the number is OpenSSH's error of the same meaning (its ssherr.h). */
  public enum Kind {
    UNPLUGGED(60),
    NOT_TOUCHED(4),
    REFUSED(4),
    PIN_WANTED(43),
    PIN_WRONG(43),
    NO_SUCH_KEY(60);

    private final int number;

    Kind(int number) {
      this.number = number;
    }

    int number() {
      return number;
    }
  }

  private final Kind kind;

  DeviceException(Kind kind) {
    super("the device says: " + kind.name().toLowerCase(java.util.Locale.ROOT).replace('_', ' '));
    this.kind = kind;
  }

  /** Why not. */
  public Kind kind() {
    return kind;
  }
}
