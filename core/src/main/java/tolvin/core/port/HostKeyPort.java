package tolvin.core.port;

import java.util.List;
import java.util.Optional;
import tolvin.core.key.PublicKey;

/** Looks which host keys an SSH server shows. What was looked at is not yet trusted. */
public interface HostKeyPort {

  /**
   * What a server shows to anybody.
   *
   * @param hostKeys one of each type that it has
   * @param identification the line with which it begins a connection (RFC 4253 section 4.2)
   */
  record Shown(List<PublicKey> hostKeys, String identification) {}

  /**
   * Asks for a host key of every type, without signing in.
   *
   * @param host host name or address
   * @param port TCP port
   * @param through the jump host that it is reached through; empty if it is reached directly
   * @throws PortException if nothing answers there, or no SSH server
   */
  Shown look(String host, int port, Optional<Login> through) throws PortException;
}
