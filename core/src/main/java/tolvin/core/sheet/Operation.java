package tolvin.core.sheet;

import java.time.Duration;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.OptionalInt;

/**
 * Something that a system is asked to do: at most three requests, with captures and one wait.
 *
 * @param requests in their order
 * @param entries how what is registered is read out of the answers of a reading; one way for each
 *     key that one element may hold
 * @param each where the list of elements stands in an answer; empty if the answer is the list, or
 *     the rows
 * @param pages how a long list goes on
 * @param meanings what answers mean here, before those of the whole sheet
 */
public record Operation(
    List<Request> requests,
    List<Entry> entries,
    String each,
    Optional<Pages> pages,
    List<Meaning> meanings) {

  /**
   * Some of its requests, from one up to but not including another; nothing is read out of them.
   */
  public Operation part(int from, int to) {
    return new Operation(requests.subList(from, to), List.of(), "", Optional.empty(), meanings);
  }

  /** A request. */
  public sealed interface Request permits Http, Sql {
    /** What is kept of its answer for the requests behind it: a name, and where it stands. */
    Map<String, String> captures();

    /** Until when it is repeated. */
    Optional<Until> until();
  }

  /**
   * A request over HTTP.
   *
   * @param method GET, POST, PUT, PATCH or DELETE
   * @param path a URI template (RFC 6570) below the system's address
   * @param headers more headers
   * @param body what is sent as JSON: maps, lists, {@link Template}s, numbers and truth values;
   *     null for nothing
   * @param form whether the body goes as a form instead of JSON
   * @param text whether the answer is text and not JSON
   */
  public record Http(
      String method,
      Template path,
      Map<String, Template> headers,
      Object body,
      boolean form,
      boolean text,
      Map<String, String> captures,
      Optional<Until> until)
      implements Request {}

  /**
   * A statement.
   *
   * @param statement with {@code :name} for what is bound, and {@code {name:x}}, {@code {text:x}}
   *     and {@code {slot}} for what stands in it where nothing can be bound
   * @param rows how many rows it must change; empty if that does not matter
   */
  public record Sql(
      SqlTemplate statement, OptionalInt rows, Map<String, String> captures, Optional<Until> until)
      implements Request {}

  /**
   * A condition on an answer.
   *
   * @param at where to look: a JSON pointer (RFC 6901), or a column
   * @param is the values that fulfil it
   * @param within how long it is waited for
   * @param every the pause between two looks
   */
  public record Until(String at, List<String> is, Duration within, Duration every) {}

  /**
   * How one registered key is read out of an element.
   *
   * @param key where the key stands; several places are joined with a space
   * @param fingerprint where its fingerprint stands, for systems that do not show the key
   * @param title where the title stands
   * @param reference where the system's own reference stands
   * @param slot where the slot stands, or the slot itself behind {@code =}
   * @param added where the date stands on which it was added
   * @param used where the date of its last use stands
   * @param ends where its end stands
   * @param purpose where its purpose stands
   * @param access where its access stands
   * @param current for seats: where it stands whether this is the key in use
   */
  public record Entry(
      List<String> key,
      String fingerprint,
      String title,
      String reference,
      String slot,
      String added,
      String used,
      String ends,
      String purpose,
      String access,
      String current) {}

  /**
   * How a long list goes on.
   *
   * @param next where the next page's token or address stands; empty if it stands in the Link
   *     header (RFC 8288)
   * @param as the variable that gets the token; empty if it is an address
   * @param size for counting pages: how many elements a full page has; 0 otherwise
   */
  public record Pages(String next, String as, int size) {}
}
