package tolvin.connectors.diagnosis;

import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.attribute.PosixFilePermissions;
import java.security.SecureRandom;
import java.time.Duration;
import java.time.Instant;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.concurrent.atomic.AtomicInteger;
import tolvin.connectors.holder.OwnClient;
import tolvin.core.diagnosis.Circumstances;
import tolvin.core.diagnosis.Circumstances.Books;
import tolvin.core.diagnosis.Circumstances.ClientSide;
import tolvin.core.diagnosis.Diagnosis;
import tolvin.core.estate.SignInMode;
import tolvin.core.key.KeyType;
import tolvin.core.key.PublicKey;
import tolvin.core.pair.HardwareHandle;
import tolvin.core.pair.KeyChoice;
import tolvin.core.pair.KeyPairMaker;
import tolvin.core.pair.OpenSshFile;
import tolvin.core.pair.SecretPair;
import tolvin.core.port.Login;
import tolvin.core.port.PortException;
import tolvin.core.port.Server;
import tolvin.core.port.TrialPort;
import tolvin.standins.securitykey.DeviceException;

/**
 * One holder, one account and one key, all right at first; a mistake changes something of it, then
 * it is built on a real server and a real client's machine and tried.
 */
final class Scene {
  private static final AtomicInteger NUMBER = new AtomicInteger();
  static final SecureRandom RANDOM = new SecureRandom();

  final Stage stage;
  final Ground ground;
  final List<Change> afterwards = new ArrayList<>();
  final StringBuilder tags = new StringBuilder();
  KeyChoice choice = KeyChoice.ED25519;
  SecretPair pair = KeyPairMaker.ed25519(RANDOM);
  Optional<HardwareHandle> handle = Optional.empty();
  Optional<String> passphrase = Optional.empty();

  // the client's machine
  byte[] privateFile;
  String privateMode = "rw-------";
  Optional<PublicKey> publicBeside = Optional.empty();
  Optional<String> identity = Optional.empty();
  final List<SecretPair> offeredBefore = new ArrayList<>();
  final List<String> options = new ArrayList<>();
  final Map<String, String> environment = new HashMap<>();
  Optional<String> asUser = Optional.empty();
  Optional<String> toHost = Optional.empty();
  Optional<Integer> toPort = Optional.empty();
  Optional<PublicKey> knownHostKey;

  // the server
  boolean accountExists = true;
  boolean isRegistered = true;
  boolean hasEntry = true;
  boolean showsLog = true;
  Optional<String> shell = Optional.empty();
  String fileName = "authorized_keys";

  /** The file's text, one character per byte; LINE stands for the key's line, KEY for its body. */
  String text = "LINE\n";

  Optional<byte[]> bytes = Optional.empty();
  String fileMode = "rw-------";
  String directoryMode = "rwx------";
  String homeMode = "rwx------";
  Optional<Integer> owner = Optional.empty();

  // what is on record
  Optional<Integer> recordedPort = Optional.empty();
  List<PublicKey> pinned;
  Optional<Instant> placedAt = Optional.empty();
  Optional<Instant> handedOverAt = Optional.empty();
  Duration propagation = Duration.ZERO;
  List<String> otherAccounts = List.of();

  List<String> log = List.of();
  private String login;
  private Path directory;

  /** Something that is done to an account when it is there. */
  @FunctionalInterface
  interface Change {
    void of(String account) throws IOException;
  }

  Scene(Stage stage, Ground ground) {
    this.stage = stage;
    this.ground = ground;
    this.knownHostKey = Optional.of(ground.hostKey());
    this.pinned = List.of(ground.hostKey());
  }

  PublicKey key() {
    return handle.map(HardwareHandle::key).orElse(pair.key());
  }

  void use(KeyChoice kind) {
    pair = KeyPairMaker.make(kind, RANDOM);
  }

  /** A key on the security key of the stage. */
  void hardware(KeyType type, int flags) {
    try {
      handle =
          Optional.of(
              stage.device.enroll(type, "ssh:", "", flags, new byte[0], Stage.PIN).handle());
      environment.put("SSH_SK_HELPER", stage.plugged.helper().toString());
    } catch (DeviceException e) {
      throw new IllegalStateException(e);
    }
  }

  /** Builds it, tests it, explains it. */
  Diagnosis explained() throws IOException, PortException {
    build();
    long from = ground.logEnd(this, login);
    OwnClient.Tried tried = ground.showsClient() ? client().tryOut() : byTolvin();
    stage.lastAnswer = tried.answer();
    boolean isRefused = tried.outcome() == Circumstances.Outcome.REFUSED;
    Optional<Circumstances.ServerSide> server =
        isRefused ? ground.server(this, login, from) : Optional.empty();
    log = server.flatMap(Circumstances.ServerSide::log).orElse(List.of());
    return Diagnosis.of(
        new Circumstances(
            new Circumstances.Wanted(
                ground.user(login),
                "127.0.0.1",
                recordedPort.orElse(ground.port()),
                pinned.stream().map(PublicKey::fingerprint).toList(),
                Optional.of(key())),
            tried.outcome(),
            ground.showsClient() ? Optional.of(tried.seen()) : Optional.empty(),
            server,
            isRefused ? ground.account(this, login) : Optional.empty(),
            new Books(placedAt, handedOverAt, propagation, SignInMode.KEY, otherAccounts, Map.of()),
            Instant.now()));
  }

  /** Tolvin's own sign-in. */
  private OwnClient.Tried byTolvin() {
    ClientSide nothing = new ClientSide(List.of(), List.of(), "none", List.of(), List.of());
    Server server =
        new Server("the server", "127.0.0.1", recordedPort.orElse(ground.port()), pinned);
    try {
      TrialPort.Trial trial = stage.trials.signIn(new Login(server, login, pair));
      return new OwnClient.Tried(trial.outcome(), nothing, trial.answer());
    } catch (PortException e) {
      return new OwnClient.Tried(
          e.kind() == PortException.Kind.HOST_KEY_CHANGED
              ? Circumstances.Outcome.HOST_KEY
              : Circumstances.Outcome.UNREACHABLE,
          nothing,
          e.getMessage());
    }
  }

  /**
   * The bytes of the account's file, or of what stands for it.
   *
   * @param line what LINE stands for
   */
  byte[] content(String line) {
    return bytes.orElseGet(
        () ->
            text.replace("KEY", key().line().substring(key().line().indexOf(' ') + 1))
                .replace("WORD", key().type().word())
                .replace("LINE", line)
                .getBytes(StandardCharsets.ISO_8859_1));
  }

  Path file(String name) {
    return directory.resolve(name);
  }

  private void build() throws IOException {
    login = "u" + NUMBER.incrementAndGet() + tags;
    directory = Files.createDirectories(stage.directory.resolve("client").resolve(login));
    if (accountExists) {
      ground.build(this, login);
    }
    for (Change change : afterwards) {
      change.of(login);
    }
    Path privatePath = file("id");
    if (privateFile == null) {
      privateFile =
          handle.isPresent()
              ? OpenSshFile.write(handle.get(), "", RANDOM)
              : passphrase.isPresent()
                  ? tolvin.connectors.file.PrivateFiles.openSsh(
                      pair, "", passphrase.get().toCharArray(), RANDOM)
                  : OpenSshFile.write(pair, "", RANDOM);
    }
    if (privateFile.length > 0) {
      Files.write(privatePath, privateFile);
      Files.setPosixFilePermissions(privatePath, PosixFilePermissions.fromString(privateMode));
    }
    if (publicBeside.isPresent()) {
      Files.writeString(file("id.pub"), publicBeside.get().line() + "\n");
    }
    String port = "[127.0.0.1]:";
    Files.writeString(
        file("known"),
        knownHostKey
            .map(
                k ->
                    port
                        + ground.port()
                        + " "
                        + k.line()
                        + "\n"
                        + port
                        + stage.other.port()
                        + " "
                        + stage.other.hostKey().line()
                        + "\n")
            .orElse(""));
  }

  private static void mode(Path path, String mode) throws IOException {
    Files.setPosixFilePermissions(path, PosixFilePermissions.fromString(mode));
  }

  private OwnClient client() throws IOException {
    List<String> arguments = new ArrayList<>(List.of("-F", "none"));
    options.forEach(option -> arguments.addAll(List.of("-o", option)));
    arguments.addAll(List.of("-o", "UserKnownHostsFile=" + file("known")));
    arguments.addAll(List.of("-o", "StrictHostKeyChecking=yes", "-o", "IdentitiesOnly=yes"));
    int number = 0;
    for (SecretPair other : offeredBefore) {
      Path path = file("other" + number++);
      Files.write(path, OpenSshFile.write(other, "", RANDOM));
      mode(path, "rw-------");
      arguments.addAll(List.of("-i", path.toString()));
    }
    String named = identity.orElse("id");
    if (!named.isEmpty()) {
      arguments.addAll(List.of("-i", file(named).toString()));
    }
    arguments.addAll(
        List.of("-p", String.valueOf(toPort.or(() -> recordedPort).orElse(ground.port()))));
    arguments.add(asUser.orElse(ground.user(login)) + "@" + toHost.orElse("127.0.0.1"));
    Map<String, String> variables = new HashMap<>(environment);
    variables.putIfAbsent("SSH_AUTH_SOCK", "");
    return new OwnClient(arguments, variables, Duration.ofSeconds(30));
  }
}
