package tolvin.core.port;

import java.util.List;
import java.util.Optional;
import tolvin.core.key.PublicKey;

/**
 * A server and the host keys that it may show; no other is accepted.
 *
 * @param name for sentences
 * @param host host name or address
 * @param port TCP port
 * @param hostKeys the pinned host keys, at least one
 * @param through the jump host that it is reached through; empty if it is reached directly
 */
public record Server(
    String name, String host, int port, List<PublicKey> hostKeys, Optional<Login> through) {
  /** A server that is reached directly. */
  public Server(String name, String host, int port, List<PublicKey> hostKeys) {
    this(name, host, port, hostKeys, Optional.empty());
  }

  /** Copies what can be copied. */
  public Server {
    hostKeys = List.copyOf(hostKeys);
  }
}
