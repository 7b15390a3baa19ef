package tolvin.service.usage;

import java.security.cert.CertificateParsingException;
import java.security.cert.X509Certificate;
import java.util.ArrayList;
import java.util.List;
import java.util.Locale;
import javax.naming.InvalidNameException;
import javax.naming.ldap.LdapName;
import javax.naming.ldap.Rdn;

/**
 * The names that a certificate gives whoever sends log lines over TLS: those of its alternative
 * names that are hosts or addresses, and its common name (RFC 5425, section 5.2). A name that
 * begins with {@code *.} stands for one label more, whichever it is (RFC 6125, section 6.4.3).
 */
final class SenderNames {
  private static final int DNS_NAME = 2; // the choices of GeneralName, RFC 5280, section 4.2.1.6
  private static final int IP_ADDRESS = 7;

  private final List<String> names;

  private SenderNames(List<String> names) {
    this.names = List.copyOf(names);
  }

  /** The names in a certificate; none if it cannot be read. */
  static SenderNames of(X509Certificate certificate) {
    List<String> names = new ArrayList<>();
    try {
      var others = certificate.getSubjectAlternativeNames();
      for (List<?> other : others == null ? List.<List<?>>of() : others) {
        int choice = (Integer) other.get(0);
        if (choice == DNS_NAME || choice == IP_ADDRESS) {
          names.add(plain(String.valueOf(other.get(1))));
        }
      }
      for (Rdn part : new LdapName(certificate.getSubjectX500Principal().getName()).getRdns()) {
        if (part.getType().equalsIgnoreCase("CN")) {
          names.add(plain(String.valueOf(part.getValue())));
        }
      }
    } catch (CertificateParsingException | InvalidNameException unreadable) {
      return new SenderNames(List.of());
    }
    return new SenderNames(names);
  }

  private static String plain(String name) {
    String lower = name.strip().toLowerCase(Locale.ROOT);
    return lower.endsWith(".") ? lower.substring(0, lower.length() - 1) : lower;
  }

  /** Whether one of them is a host, letter by letter or by its first label. */
  boolean cover(String host) {
    String wanted = plain(host);
    int dot = wanted.indexOf('.');
    String anyLabel = dot > 0 ? "*" + wanted.substring(dot) : "";
    return !wanted.isEmpty()
        && names.stream().anyMatch(name -> name.equals(wanted) || name.equals(anyLabel));
  }

  @Override
  public String toString() {
    return names.isEmpty() ? "no name" : String.join(", ", names);
  }
}
