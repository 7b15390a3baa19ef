package tolvin.service.rotation;

import io.micrometer.core.instrument.FunctionCounter;
import io.micrometer.core.instrument.MeterRegistry;
import io.quarkus.runtime.ShutdownEvent;
import io.quarkus.runtime.StartupEvent;
import jakarta.enterprise.context.ApplicationScoped;
import jakarta.enterprise.event.Observes;
import jakarta.enterprise.inject.Produces;
import jakarta.inject.Singleton;
import java.util.function.ToLongFunction;
import tolvin.connectors.ssh.AuthorizedKeysFiles;
import tolvin.connectors.ssh.SeatFiles;
import tolvin.connectors.ssh.ServerLooks;
import tolvin.connectors.ssh.SignInLogs;
import tolvin.connectors.ssh.SshConnections;
import tolvin.connectors.ssh.SshTrials;
import tolvin.connectors.ssh.Traffic;
import tolvin.core.port.AccountPort;
import tolvin.core.port.LookPort;
import tolvin.core.port.SeatPort;
import tolvin.core.port.TrialPort;
import tolvin.core.port.UsePort;

/** Gives the use cases the connectors behind the core's ports; connections are shared and kept. */
@ApplicationScoped
public class Ports {
  private final SshConnections connections = new SshConnections();

  @Produces
  @Singleton
  AccountPort accounts() {
    return new AuthorizedKeysFiles(connections);
  }

  @Produces
  @Singleton
  SeatPort seats() {
    return new SeatFiles(connections);
  }

  @Produces
  @Singleton
  TrialPort trials() {
    return new SshTrials(connections);
  }

  @Produces
  @Singleton
  LookPort looks() {
    return new ServerLooks(connections);
  }

  @Produces
  @Singleton
  UsePort uses() {
    return new SignInLogs(connections);
  }

  /** Counts what was done over the network: tolvin_ssh_connections_total and the like. */
  void measure(@Observes StartupEvent event, MeterRegistry registry) {
    count(registry, "connections", Traffic.Counts::connections);
    count(registry, "reads", Traffic.Counts::reads);
    count(registry, "writes", Traffic.Counts::writes);
    count(registry, "trials", Traffic.Counts::trials);
  }

  private void count(MeterRegistry registry, String what, ToLongFunction<Traffic.Counts> counted) {
    FunctionCounter.builder(
            "tolvin.ssh." + what, connections, c -> counted.applyAsLong(c.traffic()))
        .register(registry);
  }

  void stop(@Observes ShutdownEvent event) {
    connections.close();
  }
}
