package tolvin.core.port;

import java.util.List;
import java.util.Optional;
import tolvin.core.key.PublicKey;

/** Looks which host keys an SSH server shows. What was looked at is not yet trusted. */
public interface HostKeyPort {

  /**
   * Asks for a host key of every type, without signing in.
   *
   * @param host host name or address
   * @param port TCP port
   * @param through the jump host that it is reached through; empty if it is reached directly
   * @throws PortException if nothing answers there, or no SSH server
   */
  List<PublicKey> look(String host, int port, Optional<Login> through) throws PortException;
}
