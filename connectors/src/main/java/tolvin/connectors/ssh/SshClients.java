package tolvin.connectors.ssh;

import java.io.IOException;
import java.time.Duration;
import java.util.Arrays;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.TreeSet;
import java.util.concurrent.ConcurrentHashMap;
import org.apache.sshd.client.ClientBuilder;
import org.apache.sshd.client.SshClient;
import org.apache.sshd.client.auth.password.UserAuthPasswordFactory;
import org.apache.sshd.client.auth.pubkey.UserAuthPublicKeyFactory;
import org.apache.sshd.client.keyverifier.ServerKeyVerifier;
import org.apache.sshd.client.session.ClientSession;
import org.apache.sshd.client.session.ClientSession.ClientSessionEvent;
import org.apache.sshd.common.AttributeRepository.AttributeKey;
import org.apache.sshd.common.kex.BuiltinDHFactories;
import org.apache.sshd.common.kex.DHFactory;
import org.apache.sshd.common.keyprovider.KeyIdentityProvider;
import org.apache.sshd.common.signature.BuiltinSignatures;
import org.apache.sshd.common.util.buffer.ByteArrayBuffer;
import org.apache.sshd.core.CoreModuleProperties;
import tolvin.connectors.shared.Egress;
import tolvin.core.key.Fingerprint;
import tolvin.core.key.KeyType;
import tolvin.core.key.PublicKey;
import tolvin.core.port.Login;
import tolvin.core.port.PortException;
import tolvin.core.port.PortException.Kind;

/**
 * Opens SSH connections: host key pinned, one key offered, nothing taken from the machine's own.
 */
final class SshClients implements AutoCloseable {
  /** How long connecting and signing in may take, each. */
  static final Duration PATIENCE = Duration.ofSeconds(10);

  private static final AttributeKey<HostKeyCheck> CHECK = new AttributeKey<>();

  /** What a connection is for decides which key exchange comes first. */
  enum Purpose {
    /** Kept, and private keys travel over it: post-quantum first, its cost is paid once. */
    KEPT(
        BuiltinDHFactories.mlkem768x25519,
        new SharedKem(BuiltinDHFactories.sntrup761x25519),
        new SharedKem(BuiltinDHFactories.sntrup761x25519_openssh),
        BuiltinDHFactories.curve25519,
        BuiltinDHFactories.ecdhp256,
        BuiltinDHFactories.dhg14_256),
    /** A trial carries nothing secret: the quick exchange first. */
    TRIAL(
        BuiltinDHFactories.curve25519,
        BuiltinDHFactories.ecdhp256,
        new SharedKem(BuiltinDHFactories.sntrup761x25519_openssh),
        BuiltinDHFactories.dhg14_256),
    /** Asks which ways of signing in there are, and signs in by none. */
    ASK(BuiltinDHFactories.curve25519, BuiltinDHFactories.ecdhp256, BuiltinDHFactories.dhg14_256);

    private final List<DHFactory> exchanges;

    Purpose(DHFactory... exchanges) {
      this.exchanges = Arrays.stream(exchanges).filter(DHFactory::isSupported).toList();
    }
  }

  /** The keys that a server may show, and the one that it showed instead. */
  private static final class HostKeyCheck {
    private final List<PublicKey> pinned;
    private volatile Fingerprint shown;

    HostKeyCheck(List<PublicKey> pinned) {
      this.pinned = pinned;
    }

    boolean accepts(byte[] blob) {
      boolean known = pinned.stream().anyMatch(key -> Arrays.equals(key.blob(), blob));
      shown = known ? null : Fingerprint.of(blob);
      return known;
    }

    PortException failure(Login login, IOException cause) {
      return shown == null ? unreachable(login, cause) : changedHostKey(login, shown);
    }
  }

  private record Kit(Purpose purpose, List<KeyType> hostKeyTypes) {}

  private final Map<Kit, JumpingClient> clients = new ConcurrentHashMap<>();
  private final Traffic traffic;
  private final Jumps jumps;

  SshClients(Traffic traffic, Egress egress) {
    this.traffic = traffic;
    this.jumps = new Jumps(this, egress);
  }

  /** The jump hosts that servers are reached through. */
  Jumps jumps() {
    return jumps;
  }

  /** A connection whose server has shown the pinned host key; not signed in yet. */
  ClientSession connect(Login login, Purpose purpose) throws PortException {
    return connect(login, purpose, new TreeSet<>());
  }

  /** Likewise; what {@link Purpose#ASK} is offered is noted. */
  ClientSession connect(Login login, Purpose purpose, Set<String> offered) throws PortException {
    var server = login.server();
    List<KeyType> types =
        server.hostKeys().stream().map(PublicKey::type).distinct().sorted().toList();
    if (types.isEmpty()) {
      throw new PortException(
          Kind.HOST_KEY_CHANGED,
          "No host key is pinned for " + server.name() + ".",
          "Compare the server's host key with its administrator and pin it first.");
    }
    JumpingClient client = clients.computeIfAbsent(new Kit(purpose, types), this::client);
    HostKeyCheck check = new HostKeyCheck(server.hostKeys());
    try {
      ClientSession session =
          jumps
              .connect(
                  client,
                  login.user(),
                  server,
                  Map.of(
                      CHECK,
                      check,
                      SignerAgents.SIGNER,
                      login.signer(),
                      SignInModes.OFFERED,
                      offered))
              .verify(PATIENCE)
              .getSession();
      traffic.connected();
      var reached =
          session.waitFor(
              List.of(ClientSessionEvent.WAIT_AUTH, ClientSessionEvent.CLOSED), PATIENCE);
      if (!reached.contains(ClientSessionEvent.WAIT_AUTH)) {
        session.close(true);
        throw check.failure(
            login,
            new IOException(
                reached.contains(ClientSessionEvent.CLOSED)
                    ? "the server closed the connection"
                    : "no keys were agreed within " + PATIENCE.toSeconds() + " s"));
      }
      return session;
    } catch (IOException e) {
      throw check.failure(login, e);
    }
  }

  private JumpingClient client(Kit kit) {
    JumpingClient client =
        (JumpingClient)
            ClientBuilder.builder()
                .factory(JumpingClient::new)
                .keyExchangeFactories(
                    org.apache.sshd.common.NamedFactory.setUpTransformedFactories(
                        true, kit.purpose().exchanges, ClientBuilder.DH2KEX))
                .build();
    client.setSignatureFactories(
        List.copyOf(
            org.apache.sshd.common.NamedFactory.setUpBuiltinFactories(
                true,
                kit.hostKeyTypes().stream().flatMap(type -> signatures(type).stream()).toList())));
    // The host key decides what the server may sign with, the account's key what we sign with.
    client.setUserAuthFactories(
        List.of(
            new UserAuthPublicKeyFactory(
                List.copyOf(
                    org.apache.sshd.common.NamedFactory.setUpBuiltinFactories(
                        true,
                        Arrays.stream(KeyType.values())
                            .flatMap(type -> signatures(type).stream())
                            .toList()))),
            UserAuthPasswordFactory.INSTANCE));
    if (kit.purpose() == Purpose.ASK) {
      client.setUserAuthFactories(SignInModes.NOTING);
    }
    client.setKeyIdentityProvider(KeyIdentityProvider.EMPTY_KEYS_PROVIDER);
    client.setHostConfigEntryResolver(
        org.apache.sshd.client.config.hosts.HostConfigEntryResolver.EMPTY);
    client.setServerKeyVerifier(pinned());
    client.setAgentFactory(new SignerAgents());
    CoreModuleProperties.IDLE_TIMEOUT.set(client, Duration.ZERO);
    CoreModuleProperties.AUTH_TIMEOUT.set(client, PATIENCE);
    CoreModuleProperties.NIO_WORKERS.set(client, 2);
    if (kit.purpose() == Purpose.KEPT) {
      // a connection that went dead without a word is noticed, and whoever waits on it is told
      CoreModuleProperties.HEARTBEAT_REQUEST.set(client, "keepalive@openssh.com");
      CoreModuleProperties.HEARTBEAT_INTERVAL.set(client, PATIENCE);
      CoreModuleProperties.HEARTBEAT_NO_REPLY_MAX.set(client, 2);
    }
    client.start();
    return client;
  }

  private static List<BuiltinSignatures> signatures(KeyType type) {
    return switch (type) {
      case RSA -> List.of(BuiltinSignatures.rsaSHA512, BuiltinSignatures.rsaSHA256);
      case ECDSA_P256 -> List.of(BuiltinSignatures.nistp256);
      case ECDSA_P384 -> List.of(BuiltinSignatures.nistp384);
      case ECDSA_P521 -> List.of(BuiltinSignatures.nistp521);
      case ED25519 -> List.of(BuiltinSignatures.ed25519);
      case SK_ECDSA_P256 -> List.of(BuiltinSignatures.sk_ecdsa_sha2_nistp256);
      case SK_ED25519 -> List.of(BuiltinSignatures.sk_ssh_ed25519);
    };
  }

  private static ServerKeyVerifier pinned() {
    return (session, address, key) -> {
      ByteArrayBuffer blob = new ByteArrayBuffer();
      blob.putRawPublicKey(key);
      return session.getConnectionContext().getAttribute(CHECK).accepts(blob.getCompactData());
    };
  }

  private static PortException changedHostKey(Login login, Fingerprint shown) {
    return PortException.hostKeyChanged(
        login.server().name()
            + " shows the host key "
            + shown
            + ", which is not the one that is pinned.",
        "Nothing was done there. Ask its administrator whether the host key was changed, compare the"
            + " fingerprint, and pin the new one only then.",
        shown.value());
  }

  private static PortException unreachable(Login login, IOException cause) {
    return new PortException(
        Kind.UNREACHABLE,
        login.server().name()
            + " ("
            + login.server().host()
            + " port "
            + login.server().port()
            + ") cannot be reached: "
            + reason(cause)
            + login.server().through().map(jump -> " (through " + jump + ")").orElse("")
            + ".",
        "Look whether the server runs and whether a firewall stands between.",
        cause);
  }

  private static String reason(Throwable cause) {
    Throwable deepest = cause;
    while (deepest.getCause() != null) {
      deepest = deepest.getCause();
    }
    return deepest.getMessage() == null ? deepest.getClass().getSimpleName() : deepest.getMessage();
  }

  @Override
  public void close() {
    jumps.close();
    clients.values().forEach(SshClient::stop);
    clients.clear();
  }
}
