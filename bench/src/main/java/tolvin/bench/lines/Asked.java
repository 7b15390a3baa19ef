package tolvin.bench.lines;

import java.io.IOException;
import java.time.Duration;
import java.util.ArrayList;
import java.util.BitSet;
import java.util.List;
import org.apache.sshd.client.SshClient;
import org.apache.sshd.client.auth.AbstractUserAuth;
import org.apache.sshd.client.auth.AbstractUserAuthFactory;
import org.apache.sshd.client.auth.UserAuth;
import org.apache.sshd.client.config.hosts.HostConfigEntryResolver;
import org.apache.sshd.client.session.ClientSession;
import org.apache.sshd.common.SshConstants;
import org.apache.sshd.common.keyprovider.KeyIdentityProvider;
import org.apache.sshd.common.util.buffer.Buffer;
import tolvin.core.key.KeyType;
import tolvin.core.key.PublicKey;

/**
 * Asks an SSH server which keys it would let in, without signing in: a request without a signature
 * is answered with SSH_MSG_USERAUTH_PK_OK if one with it would do (RFC 4252 section 7). One
 * connection asks for as many keys as the server has patience for.
 */
final class Asked {
  private static final Duration PATIENCE = Duration.ofMinutes(5);

  private Asked() {}

  /** Which of the keys the server would let in, by their places in the list. */
  static BitSet of(int port, String user, List<PublicKey> keys) throws IOException {
    BitSet letIn = new BitSet();
    Asking asking = new Asking(keys, letIn);
    SshClient client = SshClient.setUpDefaultClient();
    client.setHostConfigEntryResolver(HostConfigEntryResolver.EMPTY);
    client.setKeyIdentityProvider(KeyIdentityProvider.EMPTY_KEYS_PROVIDER);
    client.setServerKeyVerifier((session, from, key) -> true);
    client.setUserAuthFactories(List.of(asking));
    client.start();
    try (ClientSession session =
        client.connect(user, "127.0.0.1", port).verify(PATIENCE).getSession()) {
      session.auth().await(PATIENCE);
    } finally {
      client.stop();
    }
    if (asking.answered != keys.size()) {
      throw new IOException(
          "the server answered " + asking.answered + " of " + keys.size() + " questions");
    }
    return letIn;
  }

  private static final class Asking extends AbstractUserAuthFactory {
    private final List<PublicKey> keys;
    private final BitSet letIn;
    private int answered;

    Asking(List<PublicKey> keys, BitSet letIn) {
      super("publickey");
      this.keys = new ArrayList<>(keys);
      this.letIn = letIn;
    }

    @Override
    public UserAuth createUserAuth(ClientSession session) {
      return new AbstractUserAuth(getName()) {
        private int asked;

        @Override
        protected boolean sendAuthDataRequest(ClientSession session, String service)
            throws Exception {
          answered = asked; // a refusal of the one before brought us here, or nothing did
          if (asked == keys.size()) {
            return false;
          }
          PublicKey key = keys.get(asked++);
          Buffer buffer = session.createBuffer(SshConstants.SSH_MSG_USERAUTH_REQUEST);
          buffer.putString(session.getUsername());
          buffer.putString(service);
          buffer.putString(getName());
          buffer.putBoolean(false);
          buffer.putString(key.type() == KeyType.RSA ? "rsa-sha2-256" : key.type().word());
          buffer.putBytes(key.blob());
          session.writePacket(buffer);
          return true;
        }

        @Override
        protected boolean processAuthDataRequest(
            ClientSession session, String service, Buffer buffer) throws Exception {
          letIn.set(asked - 1);
          return sendAuthDataRequest(session, service);
        }
      };
    }
  }
}
