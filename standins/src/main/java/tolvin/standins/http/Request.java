package tolvin.standins.http;

import com.fasterxml.jackson.databind.JsonNode;
import java.util.List;
import java.util.Map;

/**
 * A request to a simulated system.
 *
 * @param path its segments, decoded
 * @param query its parameters, decoded
 * @param authorization the header of that name; empty if there is none
 * @param body its JSON; a form as an object of texts
 */
public record Request(
    String method,
    List<String> path,
    Map<String, String> query,
    String authorization,
    JsonNode body) {

  /** Whether it is of a method and a path, in which {@code *} stands for any segment. */
  public boolean is(String wanted, String pattern) {
    String[] segments = pattern.substring(1).split("/");
    if (!method.equals(wanted) || segments.length != path.size()) {
      return false;
    }
    for (int i = 0; i < segments.length; i++) {
      if (!segments[i].equals("*") && !segments[i].equals(path.get(i))) {
        return false;
      }
    }
    return true;
  }
}
