package tolvin.core.key;

/** What a reader made of some text: a key, or the reason why it is none. */
public sealed interface Reading {

  /**
   * A key was read.
   *
   * @param key the key
   * @param comment the text behind it, made plain; empty if there is none
   */
  record Key(PublicKey key, String comment) implements Reading {}

  /**
   * No key was read.
   *
   * @param refusal why
   */
  record Refused(Refusal refusal) implements Reading {}

  /**
   * The key.
   *
   * @throws RefusedException if there is none
   */
  default Key orRefuse() throws RefusedException {
    if (this instanceof Key key) {
      return key;
    }
    throw new RefusedException(((Refused) this).refusal());
  }
}
