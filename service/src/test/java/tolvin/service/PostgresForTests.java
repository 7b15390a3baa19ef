package tolvin.service;

import io.quarkus.test.common.QuarkusTestResourceLifecycleManager;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.HashMap;
import java.util.Map;
import tolvin.standins.local.LocalAuthority;
import tolvin.standins.local.LocalPostgres;
import tolvin.standins.local.LocalService;
import tolvin.standins.local.Ports;

/** A real PostgreSQL for the tests, and a data directory of their own. */
public class PostgresForTests implements QuarkusTestResourceLifecycleManager {
  public static LocalPostgres postgres;
  static Path data;
  static Path certificates;
  static int syslog;
  static int syslogTls;

  @Override
  public Map<String, String> start() {
    postgres = LocalPostgres.forTests();
    try {
      data = Files.createTempDirectory("tolvin-service");
    } catch (IOException e) {
      throw new java.io.UncheckedIOException(e);
    }
    Map<String, String> settings = new HashMap<>(postgres.settings());
    settings.put("tolvin.data", data.toString());
    settings.put("tolvin.egress", LocalService.LOOPBACK_TOO);
    settings.put("tolvin.runner.look-again-after", "PT4S");
    settings.put("tolvin.admin.password", "four words of iron");
    try {
      certificates = Files.createTempDirectory("tolvin-certificates");
      LocalAuthority authority =
          LocalAuthority.in(certificates)
              .certify("service")
              .certify("sender", "DNS:*.uses.example")
              .certify("relay", "DNS:collector.example");
      syslog = Ports.free();
      syslogTls = Ports.free();
      settings.put("tolvin.syslog.port", String.valueOf(syslog));
      settings.put("tolvin.syslog.tls-port", String.valueOf(syslogTls));
      settings.put("tolvin.syslog.tls-certificate", authority.certificate("service").toString());
      settings.put("tolvin.syslog.tls-key", authority.key("service").toString());
      settings.put("tolvin.syslog.tls-senders", authority.trusted().toString());
      settings.put("tolvin.syslog.tls-relays", "collector.example,other.example");
    } catch (IOException e) {
      throw new java.io.UncheckedIOException(e);
    }
    return settings;
  }

  @Override
  public void stop() {
    try {
      postgres.close();
    } catch (IOException e) {
      throw new java.io.UncheckedIOException(e);
    }
  }
}
