package tolvin.connectors.ssh;

import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.security.KeyPair;
import java.security.PublicKey;
import java.util.List;
import java.util.Map;
import org.apache.sshd.agent.SshAgent;
import org.apache.sshd.agent.SshAgentFactory;
import org.apache.sshd.agent.SshAgentKeyConstraint;
import org.apache.sshd.agent.SshAgentServer;
import org.apache.sshd.common.AttributeRepository.AttributeKey;
import org.apache.sshd.common.FactoryManager;
import org.apache.sshd.common.channel.ChannelFactory;
import org.apache.sshd.common.session.ConnectionService;
import org.apache.sshd.common.session.Session;
import org.apache.sshd.common.session.SessionContext;
import org.apache.sshd.common.util.buffer.ByteArrayBuffer;
import tolvin.core.key.RefusedException;
import tolvin.core.key.Wire;
import tolvin.core.pair.Signer;
import tolvin.core.pair.SigningException;

/**
 * Lets each connection sign with the one signer that it was opened with, wherever the private key
 * is: in memory, in a module, behind an agent. To the client library it looks like an agent with
 * one key.
 */
final class SignerAgents implements SshAgentFactory {
  /** Under which a connection carries its signer. */
  static final AttributeKey<Signer> SIGNER = new AttributeKey<>();

  @Override
  public SshAgent createClient(Session session, FactoryManager manager) {
    Signer signer =
        ((org.apache.sshd.client.session.ClientSession) session)
            .getConnectionContext()
            .getAttribute(SIGNER);
    return new OneKey(signer);
  }

  @Override
  public SshAgentServer createServer(ConnectionService service) throws IOException {
    throw new IOException("no agent is forwarded");
  }

  @Override
  public List<ChannelFactory> getChannelForwardingFactories(FactoryManager manager) {
    return List.of();
  }

  private static final class OneKey implements SshAgent {
    private final Signer signer;

    OneKey(Signer signer) {
      this.signer = signer;
    }

    @Override
    public Iterable<? extends Map.Entry<PublicKey, String>> getIdentities() throws IOException {
      return List.of(Map.entry(new ByteArrayBuffer(signer.key().blob()).getRawPublicKey(), ""));
    }

    @Override
    public Map.Entry<String, byte[]> sign(
        SessionContext session, PublicKey key, String algorithm, byte[] data) throws IOException {
      try {
        Wire signature = new Wire(signer.sign(data, algorithm));
        String word =
            new String(signature.string("signature algorithm"), StandardCharsets.US_ASCII);
        return Map.entry(word, signature.string("signature"));
      } catch (SigningException | RefusedException e) {
        throw new IOException(e.getMessage(), e);
      }
    }

    @Override
    public void addIdentity(KeyPair key, String comment, SshAgentKeyConstraint... constraints)
        throws IOException {
      throw new IOException("this agent holds one key");
    }

    @Override
    public void removeIdentity(PublicKey key) throws IOException {
      throw new IOException("this agent holds one key");
    }

    @Override
    public void removeAllIdentities() throws IOException {
      throw new IOException("this agent holds one key");
    }

    @Override
    public boolean isOpen() {
      return true;
    }

    @Override
    public void close() {
      // whoever made the signer closes it
    }
  }
}
