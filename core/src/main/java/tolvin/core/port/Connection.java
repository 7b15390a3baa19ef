package tolvin.core.port;

import java.util.HashMap;
import java.util.Map;
import tolvin.core.sheet.SystemSheet;

/**
 * How a system that a sheet describes is reached.
 *
 * @param name the destination's name, for sentences
 * @param sheet what it can do and how to talk to it
 * @param address the base of all its requests, or the database's URL; nothing else is ever asked
 * @param settings what the sheet asks for, by name
 * @param user as whom Tolvin connects; may be empty
 * @param secret with what; may be empty
 */
public record Connection(
    String name,
    SystemSheet sheet,
    String address,
    Map<String, String> settings,
    String user,
    String secret) {

  /** Copies what can be copied; a setting of which nothing is said has its usual value. */
  public Connection {
    Map<String, String> all = new HashMap<>();
    sheet.settings().forEach((word, s) -> s.usual().ifPresent(usual -> all.put(word, usual)));
    all.putAll(settings);
    settings = Map.copyOf(all);
  }

  /** Never shows the secret. */
  @Override
  public String toString() {
    return name + " at " + address;
  }
}
