package tolvin.core.port;

import tolvin.core.key.Ed25519Pair;

/**
 * How Tolvin signs in to a server.
 *
 * @param server where
 * @param user as whom
 * @param pair with what; a connector must not keep it longer than a connection
 */
public record Login(Server server, String user, Ed25519Pair pair) {
  @Override
  public String toString() {
    return user + "@" + server.name();
  }
}
