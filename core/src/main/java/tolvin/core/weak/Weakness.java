package tolvin.core.weak;

import tolvin.core.word.Words;

/**
 * Why a well-formed key must not be trusted.
 *
 * @param kind what is wrong
 * @param detail which other key or which list it was found by; empty if the key says it alone
 */
public record Weakness(Kind kind, String detail) {

  /** What can be wrong with a key's numbers. */
  public enum Kind {
    SHARED_FACTOR("shares a prime factor with another key, so that both can be factored"),
    CLOSE_FACTORS("its two primes are so close to each other that they are found at once"),
    NOT_A_PRODUCT("its modulus is a prime or a power, so that the private key is found at once"),
    PATTERNED("its modulus has the pattern of a faulty generator whose keys can be factored"),
    COMPROMISED("it is on a list of compromised keys");

    private final String words;

    Kind(String words) {
      this.words = words;
    }

    /** The name for programs. */
    public String word() {
      return Words.of(this);
    }
  }

  /** The weakness in words, to be put behind "the key". */
  public String sentence() {
    return detail.isEmpty() ? kind.words : kind.words + " (" + detail + ")";
  }
}
