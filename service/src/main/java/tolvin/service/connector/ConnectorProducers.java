package tolvin.service.connector;

import io.micrometer.core.instrument.FunctionCounter;
import io.micrometer.core.instrument.MeterRegistry;
import io.quarkus.runtime.ShutdownEvent;
import io.quarkus.runtime.StartupEvent;
import jakarta.enterprise.context.ApplicationScoped;
import jakarta.enterprise.event.Observes;
import jakarta.enterprise.inject.Produces;
import jakarta.inject.Singleton;
import java.io.IOException;
import java.nio.file.Path;
import java.time.Clock;
import java.time.Duration;
import java.util.Map;
import java.util.Optional;
import java.util.function.ToLongFunction;
import org.eclipse.microprofile.config.inject.ConfigProperty;
import tolvin.connectors.AccountSides;
import tolvin.connectors.ConnectorJars;
import tolvin.connectors.Families;
import tolvin.connectors.Routing;
import tolvin.connectors.shared.Egress;
import tolvin.connectors.sheet.SheetStates;
import tolvin.connectors.ssh.HostKeyLooks;
import tolvin.connectors.ssh.Hosts;
import tolvin.connectors.ssh.KnownHostsFiles;
import tolvin.connectors.ssh.ServerLooks;
import tolvin.connectors.ssh.SignInLogs;
import tolvin.connectors.ssh.SignInModeFiles;
import tolvin.connectors.ssh.SshCommands;
import tolvin.connectors.ssh.SshConnections;
import tolvin.connectors.ssh.Traffic;
import tolvin.core.port.AccountPort;
import tolvin.core.port.CommandPort;
import tolvin.core.port.HostKeyPort;
import tolvin.core.port.KnownHostsPort;
import tolvin.core.port.LookPort;
import tolvin.core.port.SeatPort;
import tolvin.core.port.SignInModePort;
import tolvin.core.port.SurveyPort;
import tolvin.core.port.TrialPort;
import tolvin.core.port.UsePort;
import tolvin.service.command.HostCommands;
import tolvin.service.problem.CannotStart;

/** Gives the use cases the connectors behind the core's ports; connections are shared and kept. */
@ApplicationScoped
public class ConnectorProducers {
  private final SshConnections connections;
  private final Routing routing;

  /**
   * Over kept connections.
   *
   * @param directory where connectors of their own lie as jars
   * @param egress the networks that may be connected to; the usual ones if absent
   * @throws IOException if they cannot be read
   */
  ConnectorProducers(
      @ConfigProperty(name = "tolvin.connectors.directory") Optional<String> directory,
      @ConfigProperty(name = "tolvin.runner.lease") Duration lease,
      @ConfigProperty(name = "tolvin.egress") Optional<String> egress)
      throws IOException {
    // whatever hangs is over before its lease is, and its worker goes on with something else
    Duration limit = lease.dividedBy(2);
    connections =
        new SshConnections(
            limit.compareTo(SshConnections.LIMIT) < 0 ? limit : SshConnections.LIMIT,
            egress.map(ConnectorProducers::only).orElse(Egress.USUAL));
    routing =
        new Routing(
            connections,
            Clock.systemUTC(),
            directory.isPresent() ? ConnectorJars.in(Path.of(directory.get())) : Map.of());
  }

  private static Egress only(String networks) {
    try {
      return Egress.only(networks);
    } catch (IllegalArgumentException wrong) {
      CannotStart.because("TOLVIN_EGRESS: " + wrong.getMessage());
      throw wrong;
    }
  }

  @Produces
  @Singleton
  AccountPort accounts() {
    return routing.accounts();
  }

  @Produces
  @Singleton
  SeatPort seats() {
    return routing.seats();
  }

  @Produces
  @Singleton
  TrialPort trials() {
    return routing.trials();
  }

  @Produces
  @Singleton
  Families families() {
    return routing.families();
  }

  @Produces
  @Singleton
  SurveyPort surveys() {
    return routing.surveys();
  }

  @Produces
  @Singleton
  SignInModePort signInModes(CommandPort commands) {
    return new SignInModeFiles(connections, commands);
  }

  @Produces
  @Singleton
  CommandPort commands(HostCommands approved) {
    return approved.only(new SshCommands(connections));
  }

  @Produces
  @Singleton
  HostKeyPort hostKeys() {
    return new HostKeyLooks(connections);
  }

  @Produces
  @Singleton
  KnownHostsPort knownHosts() {
    return new KnownHostsFiles(connections);
  }

  @Produces
  @Singleton
  AccountSides accountSides(AccountPort accounts) {
    return new AccountSides(accounts, routing.states());
  }

  @Produces
  @Singleton
  SheetStates states() {
    return routing.states();
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

  @Produces
  @Singleton
  Egress egress() {
    return connections.egress();
  }

  @Produces
  @Singleton
  Hosts hosts() {
    return connections.hosts();
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
    routing.close();
    connections.close();
  }
}
