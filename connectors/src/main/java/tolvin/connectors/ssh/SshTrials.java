package tolvin.connectors.ssh;

import java.io.IOException;
import java.net.InetSocketAddress;
import org.apache.sshd.client.session.ClientSession;
import org.apache.sshd.common.SshException;
import tolvin.core.port.Login;
import tolvin.core.port.PortException;
import tolvin.core.port.TrialPort;

/** Trials by a real sign-in on a fresh connection; no shell is asked for. */
public final class SshTrials implements TrialPort {
  private final SshConnections connections;

  /** Makes connections of its own from the same clients. */
  public SshTrials(SshConnections connections) {
    this.connections = connections;
  }

  @Override
  public Trial signIn(Login login) throws PortException {
    connections.counting().tried();
    ClientSession session = connections.clients().connect(login, SshClients.Purpose.TRIAL);
    try {
      int port = ((InetSocketAddress) session.getIoSession().getLocalAddress()).getPort();
      try {
        authenticate(session, login);
        return new Trial(true, "authenticated", port);
      } catch (RefusedSignIn refused) {
        return new Trial(false, refused.getMessage(), port);
      }
    } finally {
      session.close(true);
    }
  }

  /** The server did not accept the key. */
  static final class RefusedSignIn extends Exception {
    RefusedSignIn(String message) {
      super(message, null, false, false);
    }
  }

  static void authenticate(ClientSession session, Login login) throws RefusedSignIn, PortException {
    try {
      session.auth().verify(SshClients.PATIENCE);
    } catch (SshException e) {
      if (session.isOpen() || e.getDisconnectCode() == SIGN_IN_IMPOSSIBLE) {
        throw new RefusedSignIn("permission denied (publickey)");
      }
      if (e.getDisconnectCode() > 0) {
        throw new RefusedSignIn("the server hung up: " + e.getMessage());
      }
      throw RemoteFiles.lost(login, e);
    } catch (IOException e) {
      throw RemoteFiles.lost(login, e);
    }
  }

  /** SSH_DISCONNECT_NO_MORE_AUTH_METHODS_AVAILABLE (RFC 4253 section 11.1). */
  private static final int SIGN_IN_IMPOSSIBLE = 14;
}
