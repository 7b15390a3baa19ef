package tolvin.core.port;

/** Says that a destination cannot be attached as it was asked for, and what to give instead. */
public final class WrongSettingException extends Exception {
  private final String remedy;

  /**
   * What is wrong.
   *
   * @param sentence what is wrong, as a whole sentence
   * @param remedy what to give instead
   */
  public WrongSettingException(String sentence, String remedy) {
    super(sentence, null, false, false);
    this.remedy = remedy;
  }

  /** What to give instead. */
  public String remedy() {
    return remedy;
  }
}
