package tolvin.core.port;

import tolvin.core.pair.Signer;

/**
 * How Tolvin signs in to a server.
 *
 * @param server where
 * @param user as whom
 * @param signer with what; a connector must not keep it longer than a connection
 */
public record Login(Server server, String user, Signer signer) {
  @Override
  public String toString() {
    return user + "@" + server.name();
  }
}
