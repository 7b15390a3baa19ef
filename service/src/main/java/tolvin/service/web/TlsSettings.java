package tolvin.service.web;

import java.util.HashMap;
import java.util.Map;
import java.util.Set;
import org.eclipse.microprofile.config.spi.ConfigSource;

/**
 * What it means that a certificate is given: the service speaks TLS on its port and nothing else,
 * and looks every minute whether the files were exchanged. What stands in the environment by its
 * own name counts more.
 */
public class TlsSettings implements ConfigSource {
  /** Above what ships with the service, below the environment. */
  private static final int ORDINAL = 275;

  private static final String CERTIFICATE = "TOLVIN_TLS_CERTIFICATE";
  private static final String KEY = "TOLVIN_TLS_KEY";

  private final Map<String, String> settings = new HashMap<>();

  /** Reads the environment. */
  public TlsSettings() {
    this(System.getenv());
  }

  TlsSettings(Map<String, String> environment) {
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
    return "TLS by " + CERTIFICATE;
  }
}
