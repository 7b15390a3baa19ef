package tolvin.connectors.diagnosis;

import java.io.IOException;
import java.io.UncheckedIOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.attribute.PosixFilePermissions;
import java.time.Duration;
import java.time.Instant;
import java.util.List;
import java.util.Set;
import tolvin.connectors.ssh.SshConnections;
import tolvin.connectors.ssh.SshTrials;
import tolvin.core.give.RevocationList;
import tolvin.core.pair.KeyPairMaker;
import tolvin.core.pair.SecretPair;
import tolvin.standins.local.LocalSshServer;
import tolvin.standins.local.Ports;
import tolvin.standins.local.Unprivileged;
import tolvin.standins.securitykey.Device;
import tolvin.standins.securitykey.Maker;
import tolvin.standins.securitykey.PluggedIn;

/**
 * What all scenes share: two real servers, of which the first treats logins differently by a tag in
 * their names, and a simulated security key.
 */
final class Stage implements AutoCloseable {
  static final String PIN = "471100";

  final Path directory;
  final FileGround openSsh;
  final LocalSshServer other;
  final SshConnections connections =
      new SshConnections(SshConnections.LIMIT.multipliedBy(Ports.PATIENCE));
  final SshTrials trials = new SshTrials(connections);
  final Maker maker = Maker.make("Gannet Keys");
  final Device device = new Device(maker, PIN, Duration.ofSeconds(2));
  final PluggedIn plugged;
  final Device foreignDevice = new Device(maker, PIN, Duration.ofSeconds(2));
  final PluggedIn foreign;
  final SecretPair revoked = KeyPairMaker.ed25519(Scene.RANDOM);
  String lastAnswer = "";
  private Process agent;

  Stage(Path directory) throws IOException {
    this.directory = directory;
    Files.setPosixFilePermissions(directory, PosixFilePermissions.fromString("rwxr-xr-x"));
    Path lists = Files.createDirectories(directory.resolve("lists"));
    Files.write(
        lists.resolve("revoked"),
        new RevocationList(1, Instant.now(), "test", Set.of(revoked.key()), Set.of()).toBytes());
    Files.write(lists.resolve("damaged"), new byte[] {1, 2, 3, 0, 5});
    Unprivileged.own(lists);
    LocalSshServer sshd =
        LocalSshServer.at(
            directory.resolve("sshd"),
            Ports.free(),
            "Match User *-type*",
            "  PubkeyAcceptedAlgorithms rsa-sha2-512,rsa-sha2-256",
            "Match User *-long*",
            "  RequiredRSASize 3072",
            "Match User *-revk*",
            "  RevokedKeys " + lists.resolve("revoked"),
            "Match User *-badl*",
            "  RevokedKeys " + lists.resolve("damaged"),
            "Match User *-nolist*",
            "  RevokedKeys " + lists.resolve("nothing"),
            "Match User *-deny*",
            "  DenyUsers *",
            "Match User *-keysoff*",
            "  PubkeyAuthentication no",
            "  PasswordAuthentication yes",
            "Match User *-elsewhere*",
            "  AuthorizedKeysFile .keys/%u",
            "Match User *-pin*",
            "  PubkeyAuthOptions verify-required",
            "Match User *-both*",
            "  PasswordAuthentication yes",
            "  AuthenticationMethods publickey,password");
    openSsh =
        new FileGround(
            "on an SSH server", sshd, connections, Mistake::ofServers, Mistake::ofClients);
    other = LocalSshServer.at(directory.resolve("other"), Ports.free()).start();
    plugged = PluggedIn.at(directory.resolve("key"), device);
    foreign = PluggedIn.at(directory.resolve("foreign"), foreignDevice);
    foreignDevice.finger(Device.Finger.ALWAYS);
  }

  /** A clean stage for the next scene. */
  Scene scene(Ground ground) {
    device.plugged(true);
    device.finger(Device.Finger.ALWAYS);
    plugged.forget();
    if (agent != null) {
      agentDoes(List.of("ssh-add", "-q", "-D"));
    }
    return new Scene(this, ground);
  }

  /** A real agent's socket; started when it is first asked for. */
  Path agent() {
    Path socket = directory.resolve("a");
    try {
      if (agent == null) {
        agent =
            new ProcessBuilder("ssh-agent", "-D", "-a", socket.toString())
                .redirectErrorStream(true)
                .redirectOutput(directory.resolve("agent.log").toFile())
                .start();
        Ports.await("the agent", Duration.ofSeconds(10), () -> Files.exists(socket));
      }
    } catch (IOException e) {
      throw new UncheckedIOException(e);
    }
    return socket;
  }

  /** Puts a pair into the agent. */
  void addToAgent(SecretPair pair, String... options) {
    try {
      Path file = directory.resolve("to-agent");
      Files.write(file, tolvin.core.pair.OpenSshFile.write(pair, "", Scene.RANDOM));
      Files.setPosixFilePermissions(file, PosixFilePermissions.fromString("rw-------"));
      List<String> command = new java.util.ArrayList<>(List.of("ssh-add", "-q"));
      command.addAll(List.of(options));
      command.add(file.toString());
      agentDoes(command);
      Files.delete(file);
    } catch (IOException e) {
      throw new UncheckedIOException(e);
    }
  }

  private void agentDoes(List<String> command) {
    try {
      ProcessBuilder builder = new ProcessBuilder(command);
      builder.environment().put("SSH_AUTH_SOCK", agent().toString());
      if (builder.start().waitFor() != 0) {
        throw new IllegalStateException(command + " failed");
      }
    } catch (IOException e) {
      throw new UncheckedIOException(e);
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
    }
  }

  @Override
  public void close() {
    connections.close();
    plugged.close();
    foreign.close();
    openSsh.close();
    other.close();
    if (agent != null) {
      agent.destroy();
    }
  }
}
