package tolvin.connectors.ssh;

import java.io.IOException;
import java.net.InetSocketAddress;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import org.apache.sshd.client.future.ConnectFuture;
import org.apache.sshd.client.session.ClientSession;
import org.apache.sshd.common.AttributeRepository;
import tolvin.connectors.shared.Egress;
import tolvin.connectors.shared.TimedLock;
import tolvin.core.key.Fingerprint;
import tolvin.core.port.Login;
import tolvin.core.port.PortException;
import tolvin.core.port.PortException.Kind;
import tolvin.core.port.Server;

/**
 * The way to servers behind a jump host: one kept connection to the jump host, and in it a channel
 * of its own for every connection behind it (RFC 4254 section 7.2). The server's own host key is
 * checked at its own end; the jump host sees nothing but ciphertext.
 */
final class Jumps implements AutoCloseable {
  private record Key(
      String host, int port, String user, Fingerprint key, List<Fingerprint> hostKeys) {}

  /** A connection to a jump host. */
  private static final class Jump {
    private final TimedLock lock = new TimedLock();
    private ClientSession session;

    boolean isOpen() {
      return session != null && session.isOpen();
    }
  }

  private final SshClients clients;
  private final Egress egress;
  private final Map<Key, Jump> jumps = new HashMap<>();

  Jumps(SshClients clients, Egress egress) {
    this.clients = clients;
    this.egress = egress;
  }

  /**
   * Connects to a server, through its jump host if it has one.
   *
   * @param attributes what the connection's context holds besides
   * @throws PortException if it may not be connected to, or its jump host cannot be passed
   * @throws IOException if it cannot be reached
   */
  ConnectFuture connect(
      JumpingClient client,
      String user,
      Server server,
      Map<AttributeRepository.AttributeKey<?>, Object> attributes)
      throws PortException, IOException {
    Map<AttributeRepository.AttributeKey<?>, Object> context = new HashMap<>(attributes);
    InetSocketAddress address;
    if (server.through().isEmpty()) {
      address = egress.of(server.host(), server.port());
    } else {
      context.put(JumpingClient.THROUGH, passed(server.through().get()));
      address = InetSocketAddress.createUnresolved(server.host(), server.port());
    }
    return client.connect(user, address, AttributeRepository.ofAttributesMap(context), null);
  }

  private ClientSession passed(Login jumpHost) throws PortException {
    Jump jump;
    synchronized (jumps) {
      jump =
          jumps.computeIfAbsent(
              new Key(
                  jumpHost.server().host(),
                  jumpHost.server().port(),
                  jumpHost.user(),
                  jumpHost.signer().key().fingerprint(),
                  jumpHost.server().hostKeys().stream().map(k -> k.fingerprint()).toList()),
              key -> new Jump());
    }
    jump.lock.take(jumpHost.server().name());
    try {
      if (!jump.isOpen()) {
        jump.session = open(jumpHost);
      }
      return jump.session;
    } finally {
      jump.lock.release();
    }
  }

  private ClientSession open(Login jumpHost) throws PortException {
    ClientSession session = clients.connect(jumpHost, SshClients.Purpose.KEPT);
    try {
      SshTrials.authenticate(session, jumpHost);
      return session;
    } catch (SshTrials.RefusedSignIn refused) {
      session.close(true);
      throw new PortException(
          Kind.SIGN_IN_REFUSED,
          jumpHost + ", the jump host, does not let Tolvin in: " + refused.getMessage() + ".",
          "Put Tolvin's key "
              + jumpHost.signer().key().fingerprint()
              + " into that login's authorized_keys, and let it forward connections.",
          refused);
    } catch (PortException e) {
      session.close(true);
      throw e;
    }
  }

  @Override
  public void close() {
    synchronized (jumps) {
      jumps.values().stream().filter(Jump::isOpen).forEach(jump -> jump.session.close(true));
      jumps.clear();
    }
  }
}
