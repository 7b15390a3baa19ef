package tolvin.service.web;

import java.util.HashMap;
import java.util.Map;
import java.util.Set;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import org.eclipse.microprofile.config.spi.ConfigSource;

/**
 * What short settings mean: a certificate has the service speak TLS on its port and nothing else,
 * and look every minute whether the files were exchanged; proxies are believed; seals are sent to a
 * receiver. What stands in the environment by its own name counts more.
 */
public class ShortSettings implements ConfigSource {
  /** Above what ships with the service, below the environment. */
  private static final int ORDINAL = 275;

  private static final String CERTIFICATE = "TOLVIN_TLS_CERTIFICATE";
  private static final String KEY = "TOLVIN_TLS_KEY";

  /** Where seals of the journal are sent: the way, host and port. */
  public static final Pattern RECEIVER =
      Pattern.compile("(udp|tcp|tls)://([A-Za-z0-9.-]+|\\[[0-9A-Fa-f:.]+]):(\\d{1,5})");

  private static final Map<String, String> PROTOCOLS =
      Map.of("udp", "udp", "tcp", "tcp", "tls", "ssl-tcp");

  private final Map<String, String> settings = new HashMap<>();

  /** Reads the environment. */
  public ShortSettings() {
    this(System.getenv());
  }

  ShortSettings(Map<String, String> environment) {
    String certificate = environment.getOrDefault(CERTIFICATE, "");
    String key = environment.getOrDefault(KEY, "");
    String proxies = environment.getOrDefault("TOLVIN_TRUSTED_PROXIES", "");
    if (!certificate.isBlank() && !key.isBlank()) {
      settings.put("quarkus.http.ssl.certificate.files", certificate);
      settings.put("quarkus.http.ssl.certificate.key-files", key);
      settings.put("quarkus.http.ssl.certificate.reload-period", "1M");
      settings.put("quarkus.http.ssl.protocols", "TLSv1.3,TLSv1.2");
      settings.put("quarkus.http.insecure-requests", "disabled");
      settings.put("quarkus.http.ssl-port", "${TOLVIN_PORT:8460}");
      settings.put("tolvin.url", "https://${quarkus.http.host}:${quarkus.http.ssl-port}");
    }
    if (!proxies.isBlank()) {
      settings.put("quarkus.http.proxy.proxy-address-forwarding", "true");
      settings.put("quarkus.http.proxy.allow-x-forwarded", "true");
      settings.put(
          "quarkus.http.proxy.trusted-proxies", proxies.strip().replaceAll("[\\s,]+", ","));
    }
    Matcher receiver = RECEIVER.matcher(environment.getOrDefault("TOLVIN_SEALS_TO", "").strip());
    if (receiver.matches()) {
      String syslog = "quarkus.log.handler.syslog.\"seals\".";
      settings.put(syslog + "enabled", "true");
      settings.put("quarkus.log.category.\"tolvin.seals\".handlers", "seals");
      settings.put(syslog + "endpoint", receiver.group(2) + ":" + receiver.group(3));
      settings.put(syslog + "protocol", PROTOCOLS.get(receiver.group(1)));
    }
  }

  @Override
  public int getOrdinal() {
    return ORDINAL;
  }

  @Override
  public Set<String> getPropertyNames() {
    return settings.keySet();
  }

  @Override
  public String getValue(String name) {
    return settings.get(name);
  }

  @Override
  public String getName() {
    return "short settings";
  }
}
