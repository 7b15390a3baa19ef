package tolvin.core.port;

import java.util.Map;
import tolvin.core.sheet.SystemSheet;

/**
 * How a system that a sheet describes is reached.
 *
 * @param name the destination's name, for sentences
 * @param sheet what it can do and how to talk to it
 * @param address the base of all its requests, or the database's URL; nothing else is ever asked
 * @param settings what the sheet wants to be told, by name
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

  /** Copies what can be copied. */
  public Connection {
    settings = Map.copyOf(settings);
  }

  /** Never shows the secret. */
  @Override
  public String toString() {
    return name + " at " + address;
  }
}
