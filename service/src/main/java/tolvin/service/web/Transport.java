package tolvin.service.web;

import io.quarkus.runtime.StartupEvent;
import io.quarkus.vertx.http.runtime.filters.Filters;
import io.vertx.ext.web.RoutingContext;
import jakarta.annotation.Priority;
import jakarta.enterprise.context.ApplicationScoped;
import jakarta.enterprise.event.Observes;
import java.net.InetAddress;
import java.net.UnknownHostException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.Optional;
import org.eclipse.microprofile.config.inject.ConfigProperty;
import tolvin.service.problem.CannotStart;

/**
 * Holds the service to loopback as long as it does not speak TLS, and browsers to TLS once it does.
 */
@ApplicationScoped
public class Transport {
  /** A year (RFC 6797). */
  private static final String STAY_ENCRYPTED = "max-age=31536000";

  private static final int EARLY = 300;

  private final String host;
  private final Optional<String> certificate;
  private final Optional<String> key;

  Transport(
      @ConfigProperty(name = "quarkus.http.host") String host,
      @ConfigProperty(name = "tolvin.tls.certificate") Optional<String> certificate,
      @ConfigProperty(name = "tolvin.tls.key") Optional<String> key) {
    this.host = host;
    this.certificate = certificate;
    this.key = key;
  }

  void start(@Observes @Priority(0) StartupEvent event) {
    wrong(host, certificate, key).ifPresent(CannotStart::because);
  }

  /** What speaks against starting so. */
  static Optional<String> wrong(String host, Optional<String> certificate, Optional<String> key) {
    if (certificate.isPresent() != key.isPresent()) {
      return Optional.of(
          "TLS needs both, the certificate (TOLVIN_TLS_CERTIFICATE) and its private key"
              + " (TOLVIN_TLS_KEY).");
    }
    for (Optional<String> file : java.util.List.of(certificate, key)) {
      if (file.isPresent() && !Files.isReadable(Path.of(file.get()))) {
        return Optional.of(file.get() + " cannot be read. Give the path of a PEM file.");
      }
    }
    if (certificate.isEmpty() && !isLoopback(host)) {
      return Optional.of(
          "Tolvin does not listen on "
              + host
              + " without TLS: passwords would be readable on the way. Give a certificate"
              + " (TOLVIN_TLS_CERTIFICATE, TOLVIN_TLS_KEY), or listen on 127.0.0.1 behind a proxy"
              + " that speaks TLS (TOLVIN_TRUSTED_PROXIES).");
    }
    return Optional.empty();
  }

  private static boolean isLoopback(String host) {
    try {
      return InetAddress.getByName(host).isLoopbackAddress();
    } catch (UnknownHostException e) {
      return false;
    }
  }

  void add(@Observes Filters filters) {
    filters.register(Transport::stayEncrypted, EARLY);
  }

  /** Not for localhost, where it would hold for everything else on the machine as well. */
  private static void stayEncrypted(RoutingContext context) {
    String asked = String.valueOf(context.request().authority());
    if (context.request().isSSL() && !asked.startsWith("localhost")) {
      context.response().putHeader("Strict-Transport-Security", STAY_ENCRYPTED);
    }
    context.next();
  }
}
