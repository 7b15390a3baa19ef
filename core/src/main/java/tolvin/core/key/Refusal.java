package tolvin.core.key;

/**
 * Why bytes are not a key or a proof that Tolvin takes: what is wrong, where, the remedy. Never
 * quotes the input, since the input may be a private key.
 *
 * @param reason the kind of refusal, stable for programs
 * @param sentence what is wrong, for a person
 * @param remedy what to do instead
 * @param position the 0-based offset in the text at which it was noticed, or -1 if it has none
 */
public record Refusal(Reason reason, String sentence, String remedy, int position) {

  /** The kinds of refusal. */
  public enum Reason {
    EMPTY,
    TOO_LARGE,
    PRIVATE_KEY,
    SEVERAL_KEYS,
    WRAPPED,
    CERTIFICATE,
    OTHER_FORM,
    UNKNOWN_TYPE,
    BAD_BASE64,
    CUT_SHORT,
    DOUBLED,
    TYPE_MISMATCH,
    LEFT_OVER,
    OTHER_SPELLING,
    NOT_ON_CURVE,
    LOW_ORDER,
    IMPLAUSIBLE_NUMBERS,
    BAD_TEXT,
    BAD_OPTION,
    NO_KEY,
    WRONG_PASSPHRASE,
    NO_SIGNATURE,
    BAD_SIGNATURE,
    OTHER_KEY,
    OTHER_NAMESPACE,
    OTHER_HASH,
    OTHER_ALGORITHM,
    OTHER_CHALLENGE,
    OTHER_IDENTITY,
    EXPIRED,
    USED_BEFORE,
    NOT_TOUCHED,
    NO_ATTESTATION,
    BAD_ATTESTATION,
    UNKNOWN_MAKER
  }

  /** The sentence, and the remedy behind it. */
  public String whole() {
    return sentence + " " + remedy;
  }
}
