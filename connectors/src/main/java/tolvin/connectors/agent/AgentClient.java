package tolvin.connectors.agent;

import java.io.IOException;
import java.net.StandardProtocolFamily;
import java.net.UnixDomainSocketAddress;
import java.nio.ByteBuffer;
import java.nio.channels.SocketChannel;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import tolvin.core.agent.AgentMessage;
import tolvin.core.key.PublicBlob;
import tolvin.core.key.PublicKey;
import tolvin.core.key.RefusedException;
import tolvin.core.pair.Signer;
import tolvin.core.pair.SigningException;

/**
 * An agent behind its Unix socket (draft-ietf-sshm-ssh-agent). Each request has a connection of its
 * own, since a person may take half a minute to touch a key.
 */
public final class AgentClient {
  private final Path socket;

  /** The agent at a socket. */
  public AgentClient(Path socket) {
    this.socket = socket;
  }

  /**
   * A key that the agent holds.
   *
   * @param key the public key
   * @param comment what the agent calls it
   */
  public record Held(PublicKey key, String comment) {}

  /**
   * The keys of types that are known here; certificates are left out.
   *
   * @throws IOException if the agent does not answer
   */
  public List<Held> keys() throws IOException {
    if (!(ask(new AgentMessage.List_()) instanceof AgentMessage.Listed listed)) {
      throw new IOException("the agent does not list its keys");
    }
    List<Held> keys = new ArrayList<>();
    for (AgentMessage.Held held : listed.keys()) {
      try {
        keys.add(new Held(PublicBlob.read(held.blob()), held.comment()));
      } catch (RefusedException certificateOrUnknown) {
        continue;
      }
    }
    return keys;
  }

  /** Signs with one of its keys. */
  public Signer signer(PublicKey key) {
    return new Signer() {
      @Override
      public PublicKey key() {
        return key;
      }

      @Override
      public byte[] sign(byte[] data, String algorithm) throws SigningException {
        int flags =
            switch (algorithm) {
              case "rsa-sha2-256" -> AgentMessage.RSA_SHA256;
              case "rsa-sha2-512" -> AgentMessage.RSA_SHA512;
              default -> 0;
            };
        try {
          if (ask(new AgentMessage.Sign(key.blob(), data, flags))
              instanceof AgentMessage.Signed signed) {
            return signed.signature();
          }
        } catch (IOException e) {
          throw new SigningException(
              "The agent at " + socket + " does not answer: " + e.getMessage() + ".",
              "Start an agent and add the key with ssh-add.");
        }
        throw new SigningException(
            "The agent refused to sign with " + key.fingerprintText() + ".",
            key.type().hardware()
                ? "Plug the security key in and touch it when it blinks; then try again."
                : "Look whether the agent is locked or wants a confirmation: ssh-add -l.");
      }

      @Override
      public void close() {
        // the agent keeps the key
      }
    };
  }

  private AgentMessage ask(AgentMessage request) throws IOException {
    try (SocketChannel channel = SocketChannel.open(StandardProtocolFamily.UNIX)) {
      channel.connect(UnixDomainSocketAddress.of(socket));
      ByteBuffer out = ByteBuffer.wrap(request.framed());
      while (out.hasRemaining()) {
        channel.write(out);
      }
      int length = filled(channel, 4).getInt();
      if (length < 1 || length > AgentMessage.LONGEST) {
        throw new IOException("the agent's answer has no plausible length");
      }
      return AgentMessage.read(filled(channel, length).array());
    } catch (RefusedException e) {
      throw new IOException("the agent's answer cannot be read");
    }
  }

  private static ByteBuffer filled(SocketChannel channel, int length) throws IOException {
    ByteBuffer buffer = ByteBuffer.allocate(length);
    while (buffer.hasRemaining()) {
      if (channel.read(buffer) < 0) {
        throw new IOException("the agent hung up");
      }
    }
    return buffer.flip();
  }
}
