package tolvin.connectors.shared;

import java.net.InetAddress;
import java.net.InetSocketAddress;
import java.net.URI;
import java.net.UnknownHostException;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.TreeSet;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import tolvin.core.port.PortException;
import tolvin.core.port.PortException.Kind;

/**
 * Where Tolvin may connect to. A host is resolved here and every one of its addresses is looked at,
 * right before a connection is made; naming a host must lead nobody to the machine itself, its
 * neighbours on the link, or what a cloud tells its machines there.
 */
public final class Egress {
  /** Everywhere: for a person's own client, and for tests. */
  public static final Egress ANYWHERE = new Egress(List.of(), true, true);

  /** Everywhere but where nothing is meant to be a destination. */
  public static final Egress USUAL = new Egress(List.of(), true, false);

  private static final String USUAL_WORD = "usual";

  private static final Pattern NETWORK =
      Pattern.compile(
          "(?:\\[([0-9a-fA-F:.]+)]|([0-9.]+))(?:/(\\d{1,3}))?(?::(\\d{1,5}(?:,\\d{1,5})*))?");

  private static final int HIGHEST_PORT = 65535;
  private static final int HTTPS_PORT = 443;
  private static final Map<String, Integer> USUAL_PORTS = Map.of("http", 80, "postgresql", 5432);

  private final List<Network> networks;
  private final boolean isUsual;
  private final boolean isAnywhere;

  private Egress(List<Network> networks, boolean isUsual, boolean isAnywhere) {
    this.networks = networks;
    this.isUsual = isUsual;
    this.isAnywhere = isAnywhere;
  }

  /**
   * A network, and the ports that may be connected to in it.
   *
   * @param ports all if empty
   */
  private record Network(byte[] address, int bits, Set<Integer> ports) {
    boolean holds(InetAddress other, int port) {
      byte[] bytes = other.getAddress();
      if (bytes.length != address.length || !ports.isEmpty() && !ports.contains(port)) {
        return false;
      }
      for (int bit = 0; bit < bits; bit++) {
        int mask = 0x80 >> bit % 8;
        if ((bytes[bit / 8] & mask) != (address[bit / 8] & mask)) {
          return false;
        }
      }
      return true;
    }
  }

  /**
   * Reads the networks that may be connected to, and no others: each in CIDR notation (RFC 4632,
   * RFC 4291 section 2.3), with ports behind it if not all, such as {@code 10.0.0.0/8:22,443
   * [2001:db8::]/32:22 192.0.2.7}. The word {@code usual} stands for {@link #USUAL}.
   *
   * @throws IllegalArgumentException if a part is none of these; it says which
   */
  public static Egress only(String text) {
    List<Network> networks = new ArrayList<>();
    boolean isUsual = false;
    for (String part : text.strip().split("\\s+")) {
      if (part.equals(USUAL_WORD)) {
        isUsual = true;
      } else {
        networks.add(network(part));
      }
    }
    return new Egress(networks, isUsual, false);
  }

  private static Network network(String part) {
    Matcher shape = NETWORK.matcher(part);
    if (shape.matches()) {
      try {
        String host = shape.group(1) == null ? shape.group(2) : shape.group(1);
        byte[] address = InetAddress.getByName(host).getAddress(); // digits are not looked up
        boolean isSameKind = address.length == (shape.group(1) == null ? 4 : 16);
        int most = address.length * 8;
        int bits = shape.group(3) == null ? most : Integer.parseInt(shape.group(3));
        Set<Integer> ports = new TreeSet<>();
        if (shape.group(4) != null) {
          for (String port : shape.group(4).split(",")) {
            ports.add(Integer.parseInt(port));
          }
        }
        boolean arePorts = ports.stream().allMatch(port -> port > 0 && port <= HIGHEST_PORT);
        if (isSameKind && bits <= most && arePorts) {
          return new Network(address, bits, ports);
        }
      } catch (UnknownHostException notAnAddress) {
        // said below
      }
    }
    throw new IllegalArgumentException(
        "“"
            + part
            + "” is no network to connect to. Give it such as 10.0.0.0/8 or [2001:db8::]/32, with"
            + " ports behind it if not all: 10.0.0.0/8:22,443.");
  }

  /**
   * The address of a host that may be connected to. One that is not known is given back as it is:
   * connecting says so.
   *
   * @throws PortException if one of its addresses may not be
   */
  public InetSocketAddress of(String host, int port) throws PortException {
    InetSocketAddress found = new InetSocketAddress(host, port);
    if (isAnywhere || found.isUnresolved()) {
      return found;
    }
    try {
      // all of them: a client that takes another one than the first must not get further
      for (InetAddress address : InetAddress.getAllByName(host)) {
        if (!isAllowed(address, port)) {
          throw new PortException(
              Kind.NOT_ALLOWED,
              host
                  + " port "
                  + port
                  + " ("
                  + address.getHostAddress()
                  + ") is outside of the networks that Tolvin may connect to.",
              "If it is meant to be a destination, ask those who run Tolvin to add it to"
                  + " TOLVIN_EGRESS.");
        }
      }
    } catch (UnknownHostException gone) {
      return found;
    }
    return found;
  }

  /**
   * Refuses an address that may not be connected to.
   *
   * @throws PortException likewise
   */
  public void check(URI address) throws PortException {
    int port =
        address.getPort() > 0
            ? address.getPort()
            : USUAL_PORTS.getOrDefault(String.valueOf(address.getScheme()), HTTPS_PORT);
    if (address.getHost() != null) {
      of(address.getHost().replaceAll("[\\[\\]]", ""), port);
    }
  }

  private boolean isAllowed(InetAddress address, int port) {
    return isUsual && !isNoDestination(address)
        || networks.stream().anyMatch(network -> network.holds(address, port));
  }

  /**
   * This machine (RFC 1122 section 3.2.1.3), the link with what clouds tell their machines there
   * (RFC 3927, RFC 4291 section 2.5.6), groups (RFC 5771), and the address of such a teller in
   * IPv6.
   */
  private static boolean isNoDestination(InetAddress address) {
    byte[] bytes = address.getAddress();
    boolean isTeller =
        bytes.length == 16
            && (bytes[0] & 0xff) == 0xfd
            && bytes[1] == 0
            && (bytes[2] & 0xff) == 0x0e
            && (bytes[3] & 0xff) == 0xc2;
    boolean isThisNetwork = bytes.length == 4 && bytes[0] == 0;
    return address.isLoopbackAddress()
        || address.isAnyLocalAddress()
        || address.isLinkLocalAddress()
        || address.isMulticastAddress()
        || isThisNetwork
        || isTeller;
  }
}
