package tolvin.connectors.shared;

import java.net.InetAddress;
import java.net.UnknownHostException;
import tolvin.core.port.PortException;
import tolvin.core.port.PortException.Kind;

/** Where something may be said without encryption: to this machine itself, and nowhere else. */
public final class Cleartext {
  private Cleartext() {}

  /** Whether a host is this machine itself, whatever it is called. */
  public static boolean isAllowed(String host) {
    try {
      return InetAddress.getByName(host).isLoopbackAddress();
    } catch (UnknownHostException e) {
      return false;
    }
  }

  /**
   * Refuses to send a secret to another machine without encryption.
   *
   * @param name what is asked, for the sentence
   * @throws PortException if the address is one without encryption, and not this machine's
   */
  public static void refuse(String name, String scheme, String host) throws PortException {
    if ("http".equals(scheme) && !isAllowed(host)) {
      throw new PortException(
          Kind.NOT_ALLOWED,
          name + " would be asked without encryption, with a secret: http://" + host + ".",
          "Use its https address.");
    }
  }
}
