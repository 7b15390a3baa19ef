package tolvin.standins.http;

import java.util.Map;

/**
 * An answer of a simulated system.
 *
 * @param body what is written as JSON; a String goes as plain text; null for nothing
 */
public record Reply(int status, Object body, Map<String, String> headers) {
  /** An answer without headers of its own. */
  public static Reply of(int status, Object body) {
    return new Reply(status, body, Map.of());
  }
}
