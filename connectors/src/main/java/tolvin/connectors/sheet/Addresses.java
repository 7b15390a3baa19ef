package tolvin.connectors.sheet;

import com.damnhandy.uri.template.UriTemplate;
import java.net.URI;
import java.net.URLDecoder;
import java.nio.charset.StandardCharsets;
import java.util.Map;
import tolvin.connectors.shared.Cleartext;
import tolvin.core.port.Connection;
import tolvin.core.port.PortException;
import tolvin.core.port.PortException.Kind;
import tolvin.core.sheet.Template;

/** The addresses that requests go to: always on the system's own host, below its own path. */
final class Addresses {
  private Addresses() {}

  /** The base of all requests of a system. */
  static URI base(Connection connection) throws PortException {
    URI base;
    try {
      base = URI.create(connection.address());
    } catch (IllegalArgumentException wrong) {
      base = URI.create("");
    }
    boolean http = "http".equals(base.getScheme());
    if (!http && !"https".equals(base.getScheme())
        || base.getHost() == null
        || base.getRawUserInfo() != null
        || base.getRawQuery() != null
        || base.getRawFragment() != null) {
      throw new PortException(
          Kind.NOT_ALLOWED,
          connection.name()
              + " has an address that Tolvin cannot send requests to: "
              + connection.address()
              + ".",
          "Give one such as https://code.skerrymoor.example/api.");
    }
    Cleartext.refuse(connection.name(), base.getScheme(), base.getHost());
    return base;
  }

  /**
   * Where a request goes.
   *
   * @throws PortException if a value would lead elsewhere
   */
  static URI of(Connection connection, Template path, Map<String, Object> values)
      throws PortException {
    URI base = base(connection);
    String expanded =
        UriTemplate.fromTemplate(kept(path.text())).set(renamed(path, values)).expand();
    String whole = connection.address().replaceAll("/+$", "") + expanded;
    return inside(connection, base, whole);
  }

  /** RFC 6570 section 2.3 knows no hyphens in names; sheets do. */
  private static String kept(String text) {
    StringBuilder renamed = new StringBuilder();
    boolean in = false;
    for (char c : text.toCharArray()) {
      in = c == '{' || in && c != '}';
      renamed.append(in && c == '-' ? '_' : c);
    }
    return renamed.toString();
  }

  private static Map<String, Object> renamed(Template path, Map<String, Object> values) {
    Map<String, Object> renamed = new java.util.HashMap<>();
    for (String name : path.names()) {
      Object value = values.get(name);
      if (value != null && !value.toString().isEmpty()) {
        renamed.put(name.replace('-', '_'), value.toString());
      }
    }
    return renamed;
  }

  /**
   * An address that the system gave itself, such as the next page's.
   *
   * @throws PortException if it leads elsewhere
   */
  static URI inside(Connection connection, URI base, String address) throws PortException {
    try {
      URI uri = base.resolve(address);
      String path = URLDecoder.decode(uri.getRawPath(), StandardCharsets.UTF_8);
      String below = base.getPath().replaceAll("/+$", "") + "/";
      boolean same =
          base.getScheme().equals(uri.getScheme())
              && base.getHost().equalsIgnoreCase(uri.getHost())
              && base.getPort() == uri.getPort()
              && uri.getRawUserInfo() == null;
      boolean climbs = path.matches("(?s).*(^|/|\\\\)\\.\\.?(/|\\\\|$).*");
      if (same && !climbs && (path.startsWith(below) || (path + "/").equals(below))) {
        return uri;
      }
    } catch (IllegalArgumentException wrong) {
      // said below
    }
    throw new PortException(
        Kind.NOT_ALLOWED,
        "A request would have left " + connection.address() + ".",
        "Nothing was sent. Look at the sheet, and at the account's name.");
  }
}
