package tolvin.connectors.diagnosis;

import java.util.List;
import java.util.Optional;
import java.util.OptionalInt;
import tolvin.connectors.ssh.ServerLooks;
import tolvin.connectors.ssh.SshConnections;
import tolvin.core.diagnosis.Circumstances.KeysFile;
import tolvin.core.diagnosis.Circumstances.ServerSide;
import tolvin.core.key.PublicKey;
import tolvin.core.pair.KeyPairMaker;
import tolvin.core.pair.SecretPair;
import tolvin.core.port.Login;
import tolvin.core.port.LookPort;
import tolvin.core.port.PortException;
import tolvin.core.port.Server;
import tolvin.core.server.SaidOfServer;
import tolvin.standins.local.LocalKeysServer;

/** A system whose accounts sign in at a server that Tolvin may look at, as its keeper. */
abstract class ServerGround implements Ground {
  static final String KEEPER = "keeper";

  final LocalKeysServer server;
  final SecretPair management = KeyPairMaker.ed25519(Scene.RANDOM);
  private final String name;
  private final ServerLooks looks;

  ServerGround(String name, LocalKeysServer server, SshConnections connections) {
    this.name = name;
    this.server = server;
    this.looks = new ServerLooks(connections);
  }

  @Override
  public final String name() {
    return name;
  }

  @Override
  public final int port() {
    return server.port();
  }

  @Override
  public final PublicKey hostKey() {
    return server.hostKey();
  }

  /** The file of an account's keys on the server; empty if they are kept elsewhere. */
  Optional<String> keysPath(String account) {
    return Optional.empty();
  }

  /** The lines of an account's keys, where they are kept elsewhere. */
  Optional<KeysFile> lines(String account) {
    return Optional.empty();
  }

  private LookPort.Where where(String account) {
    return new LookPort.Where(
        new Login(
            new Server("the server", "127.0.0.1", port(), List.of(hostKey())), KEEPER, management),
        keysPath(account).stream().toList(),
        SaidOfServer.NOTHING,
        Optional.of(server.log().toString()));
  }

  @Override
  public final long logEnd(Scene scene, String account) throws PortException {
    return looks.logEnd(where(account));
  }

  @Override
  public Optional<ServerSide> server(Scene scene, String account, long logFrom)
      throws PortException {
    ServerSide seen = looks.look(where(account), user(account), logFrom, OptionalInt.empty());
    return Optional.of(
        new ServerSide(
            seen.log().filter(lines -> scene.showsLog),
            lines(account).map(List::of).orElse(seen.keysFiles())));
  }

  @Override
  public void close() {
    server.close();
  }
}
