package tolvin.core.sheet;

import java.util.List;
import java.util.Set;
import tolvin.core.word.Words;

/**
 * What an answer means.
 *
 * @param states the HTTP status codes, or the SQL states, that it is about; empty for any
 * @param at where to look in the answer; empty for nowhere
 * @param is what stands there
 * @param means what it means
 */
public record Meaning(Set<String> states, String at, List<String> is, Word means) {

  /** What an answer can mean. */
  public enum Word {
    /** Done, or read. */
    DONE,
    /** It is there already. */
    ALREADY_THERE,
    /** What was to go is not there, or the account is not. */
    GONE,
    /** Tolvin may not do that. */
    NOT_ALLOWED,
    /** The secret that Tolvin connects with is not good, or no more. */
    SECRET_REFUSED,
    /** Too many requests. */
    SLOW_DOWN,
    /** No place for another key. */
    FULL,
    /** The key stands on another account. */
    TAKEN,
    /** Another key has that title. */
    TITLE_TAKEN,
    /** The system does not want such a key. */
    NOT_ACCEPTED,
    /** The system is not well just now. */
    OUT_OF_ORDER;

    /** As it stands in a sheet. */
    public String word() {
      return Words.of(this);
    }
  }
}
