package tolvin.core.give;

import java.util.List;
import tolvin.core.key.PublicKey;

/** A line of a known_hosts file (sshd(8), SSH_KNOWN_HOSTS FILE FORMAT). */
public final class KnownHost {
  private static final int STANDARD_PORT = 22;

  private KnownHost() {}

  /**
   * The line without its end.
   *
   * @param names host names and addresses
   * @param port where its server listens; other ports than 22 are part of the name
   */
  public static String line(List<String> names, int port, PublicKey hostKey) {
    String patterns = String.join(",", names.stream().map(name -> pattern(name, port)).toList());
    return patterns + ' ' + hostKey.line();
  }

  /** How the client looks a host up: the bare name on port 22, otherwise {@code [name]:port}. */
  public static String pattern(String name, int port) {
    return port == STANDARD_PORT ? name : '[' + name + "]:" + port;
  }
}
