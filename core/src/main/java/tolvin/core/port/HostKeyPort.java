package tolvin.core.port;

import java.util.List;
import tolvin.core.key.PublicKey;

/** Looks which host keys an SSH server shows. What was looked at is not yet trusted. */
public interface HostKeyPort {

  /**
   * Asks for a host key of every type, without signing in.
   *
   * @param host host name or address
   * @param port TCP port
   * @throws PortException if nothing answers there, or no SSH server
   */
  List<PublicKey> look(String host, int port) throws PortException;
}
