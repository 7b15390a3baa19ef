package tolvin.service.rotation;

import io.quarkus.runtime.ShutdownEvent;
import jakarta.enterprise.context.ApplicationScoped;
import jakarta.enterprise.event.Observes;
import jakarta.enterprise.inject.Produces;
import jakarta.inject.Singleton;
import tolvin.connectors.ssh.AuthorizedKeysFiles;
import tolvin.connectors.ssh.SeatFiles;
import tolvin.connectors.ssh.SignInLogs;
import tolvin.connectors.ssh.SshConnections;
import tolvin.connectors.ssh.SshTrials;
import tolvin.core.port.AccountPort;
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
  UsePort uses() {
    return new SignInLogs(connections);
  }

  /** What was done over the network since the service started. */
  public tolvin.connectors.ssh.Traffic.Counts traffic() {
    return connections.traffic();
  }

  void stop(@Observes ShutdownEvent event) {
    connections.close();
  }
}
