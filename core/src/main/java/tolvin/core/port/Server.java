package tolvin.core.port;

import java.util.List;
import tolvin.core.key.PublicKey;

/**
 * A server and the host keys that it may show; no other is accepted.
 *
 * @param name for sentences
 * @param host host name or address
 * @param port TCP port
 * @param hostKeys the pinned host keys, at least one
 */
public record Server(String name, String host, int port, List<PublicKey> hostKeys) {

  /** Copies what can be copied. */
  public Server {
    hostKeys = List.copyOf(hostKeys);
  }
}
