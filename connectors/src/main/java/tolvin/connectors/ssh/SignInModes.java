package tolvin.connectors.ssh;

import java.io.IOException;
import java.security.SecureRandom;
import java.util.List;
import java.util.Optional;
import java.util.Set;
import java.util.TreeSet;
import java.util.concurrent.ConcurrentSkipListSet;
import org.apache.sshd.client.auth.AbstractUserAuth;
import org.apache.sshd.client.auth.AbstractUserAuthFactory;
import org.apache.sshd.client.auth.UserAuth;
import org.apache.sshd.client.auth.UserAuthFactory;
import org.apache.sshd.client.session.ClientSession;
import org.apache.sshd.common.AttributeRepository.AttributeKey;
import org.apache.sshd.common.util.buffer.Buffer;
import tolvin.core.estate.SignInMode;
import tolvin.core.pair.KeyPairMaker;
import tolvin.core.pair.SecretPair;
import tolvin.core.port.Login;
import tolvin.core.port.PortException;
import tolvin.core.port.Server;

/**
 * Asks a server how an account may sign in: it asks for nothing, and reads which methods the server
 * says can continue (RFC 4252 sections 5.1 and 5.2). A server that wants a key first and a password
 * behind it names only the key.
 */
public final class SignInModes {
  private static final String KEY = "publickey";
  private static final Set<String> PASSWORDS = Set.of("password", "keyboard-interactive");

  /** Only names the account: it is offered to nobody. */
  private static final SecretPair THROWN_AWAY = KeyPairMaker.ed25519(new SecureRandom());

  /** Where a connection notes what it is offered. */
  static final AttributeKey<Set<String>> OFFERED = new AttributeKey<>();

  /** What takes the place of every method. */
  static final List<UserAuthFactory> NOTING =
      List.of(new Noting(KEY), new Noting("password"), new Noting("keyboard-interactive"));

  private final SshConnections connections;

  /** Makes connections of its own from the same clients. */
  public SignInModes(SshConnections connections) {
    this.connections = connections;
  }

  /**
   * How an account may sign in: password, key or either; empty if it may not at all.
   *
   * @throws PortException if the server could not be asked
   */
  public Optional<SignInMode> of(Server server, String login) throws PortException {
    Set<String> offered = new ConcurrentSkipListSet<>();
    Login nobody = new Login(server, login, THROWN_AWAY);
    ClientSession session = connections.clients().connect(nobody, SshClients.Purpose.ASK, offered);
    try {
      session.auth().verify(SshClients.PATIENCE);
    } catch (IOException refusedAsExpected) {
      // what the server offered was noted before
    } finally {
      session.close(true);
    }
    boolean key = offered.contains(KEY);
    boolean password = new TreeSet<>(offered).stream().anyMatch(PASSWORDS::contains);
    return key && password
        ? Optional.of(SignInMode.EITHER)
        : key
            ? Optional.of(SignInMode.KEY)
            : password ? Optional.of(SignInMode.PASSWORD) : Optional.empty();
  }

  /** Notes that the server offers a method, and does not use it. */
  private static final class Noting extends AbstractUserAuthFactory {
    Noting(String method) {
      super(method);
    }

    @Override
    public UserAuth createUserAuth(ClientSession session) {
      session.getConnectionContext().getAttribute(OFFERED).add(getName());
      return new AbstractUserAuth(getName()) {
        @Override
        protected boolean sendAuthDataRequest(ClientSession on, String service) {
          return false;
        }

        @Override
        protected boolean processAuthDataRequest(ClientSession on, String service, Buffer buffer) {
          return false;
        }
      };
    }
  }
}
