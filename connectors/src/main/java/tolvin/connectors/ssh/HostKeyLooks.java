package tolvin.connectors.ssh;

import java.io.IOException;
import java.time.Duration;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.concurrent.atomic.AtomicReference;
import org.apache.sshd.client.ClientBuilder;
import org.apache.sshd.client.config.hosts.HostConfigEntryResolver;
import org.apache.sshd.client.session.ClientSession;
import org.apache.sshd.common.NamedFactory;
import org.apache.sshd.common.kex.BuiltinDHFactories;
import org.apache.sshd.common.keyprovider.KeyIdentityProvider;
import org.apache.sshd.common.signature.BuiltinSignatures;
import org.apache.sshd.common.signature.Signature;
import org.apache.sshd.common.util.buffer.ByteArrayBuffer;
import tolvin.core.key.PublicBlob;
import tolvin.core.key.PublicKey;
import tolvin.core.key.RefusedException;
import tolvin.core.port.HostKeyPort;
import tolvin.core.port.Login;
import tolvin.core.port.PortException;
import tolvin.core.port.PortException.Kind;
import tolvin.core.port.Server;

/** Asks SSH servers for their host keys, one type after the other, and leaves before signing in. */
public final class HostKeyLooks implements HostKeyPort {
  private static final Duration PATIENCE = Duration.ofSeconds(5);
  private static final List<List<NamedFactory<Signature>>> TYPES =
      List.of(
          List.of(BuiltinSignatures.ed25519),
          List.of(
              BuiltinSignatures.nistp256, BuiltinSignatures.nistp384, BuiltinSignatures.nistp521),
          List.of(BuiltinSignatures.rsaSHA512, BuiltinSignatures.rsaSHA256));

  private final SshConnections connections;

  /** Goes through these connections where a jump host stands between. */
  public HostKeyLooks(SshConnections connections) {
    this.connections = connections;
  }

  @Override
  public Shown look(String host, int port, Optional<Login> through) throws PortException {
    Server server = new Server(host, host, port, List.of(), through);
    List<PublicKey> keys = new ArrayList<>();
    String identification = "";
    IOException last = null;
    for (List<NamedFactory<Signature>> type : TYPES) {
      try {
        Optional<Answer> answer = ask(server, type);
        if (answer.isPresent()) {
          identification = answer.get().identification();
          if (!keys.contains(answer.get().key())) {
            keys.add(answer.get().key());
          }
        }
      } catch (IOException e) {
        last = e;
      }
    }
    if (keys.isEmpty()) {
      throw new PortException(
          Kind.UNREACHABLE,
          host
              + " port "
              + port
              + " shows no host key"
              + (last == null ? "." : ": " + last.getMessage() + "."),
          "Look at host and port, and whether an SSH server runs there.");
    }
    return new Shown(keys, identification);
  }

  /** A host key of one type, and what the server calls itself. */
  private record Answer(PublicKey key, String identification) {}

  private Optional<Answer> ask(Server server, List<NamedFactory<Signature>> type)
      throws IOException, PortException {
    AtomicReference<Answer> shown = new AtomicReference<>();
    JumpingClient client =
        (JumpingClient)
            ClientBuilder.builder()
                .factory(JumpingClient::new)
                .keyExchangeFactories(
                    NamedFactory.setUpTransformedFactories(
                        true,
                        List.of(BuiltinDHFactories.curve25519, BuiltinDHFactories.ecdhp256),
                        ClientBuilder.DH2KEX))
                .signatureFactories(type)
                .build();
    client.setHostConfigEntryResolver(HostConfigEntryResolver.EMPTY);
    client.setKeyIdentityProvider(KeyIdentityProvider.EMPTY_KEYS_PROVIDER);
    client.setServerKeyVerifier(
        (session, from, key) -> {
          ByteArrayBuffer blob = new ByteArrayBuffer();
          blob.putRawPublicKey(key);
          try {
            shown.set(
                new Answer(PublicBlob.read(blob.getCompactData()), session.getServerVersion()));
          } catch (RefusedException unknownType) {
            return false;
          }
          return false; // it was only looked at
        });
    client.start();
    try (ClientSession session =
        connections
            .clients()
            .jumps()
            .connect(client, "nobody", server, Map.of())
            .verify(PATIENCE)
            .getSession()) {
      session.auth().verify(PATIENCE);
    } catch (IOException e) {
      if (shown.get() == null && !String.valueOf(e.getMessage()).contains("Unable to negotiate")) {
        throw e;
      }
    } finally {
      client.stop();
    }
    return Optional.ofNullable(shown.get());
  }
}
