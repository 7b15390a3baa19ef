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
import java.util.OptionalInt;
import java.util.concurrent.atomic.AtomicInteger;
import tolvin.connectors.holder.OwnClient;
import tolvin.core.diagnosis.Circumstances;
import tolvin.core.diagnosis.Circumstances.Books;
import tolvin.core.diagnosis.Diagnosis;
import tolvin.core.estate.SignInMode;
import tolvin.core.key.KeyType;
import tolvin.core.key.PublicKey;
import tolvin.core.pair.HardwareHandle;
import tolvin.core.pair.KeyChoice;
import tolvin.core.pair.KeyPairMaker;
import tolvin.core.pair.OpenSshFile;
import tolvin.core.pair.SecretPair;
import tolvin.core.port.LookPort;
import tolvin.core.port.PortException;
import tolvin.core.server.SaidOfServer;
import tolvin.standins.local.Unprivileged;
import tolvin.standins.securitykey.DeviceException;

/**
 * One holder, one account and one key, all right at first; a mistake changes something of it, then
 * it is built on a real server and a real client's machine and tried.
 */
final class Scene {
  private static final AtomicInteger NUMBER = new AtomicInteger();
  static final SecureRandom RANDOM = new SecureRandom();

  final Stage stage;
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
  Duration propagation = Duration.ZERO;
  List<String> otherAccounts = List.of();

  private String login;
  private Path directory;

  Scene(Stage stage) {
    this.stage = stage;
    this.knownHostKey = Optional.of(stage.sshd.hostKey());
    this.pinned = List.of(stage.sshd.hostKey());
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
    return explained(true, true);
  }

  Diagnosis explained(boolean withClient, boolean withServer) throws IOException, PortException {
    build();
    LookPort.Where where =
        new LookPort.Where(
            stage.keeper(),
            Optional.of(stage.sshd.home(login).resolve(".ssh/authorized_keys").toString()),
            SaidOfServer.NOTHING,
            Optional.of(stage.sshd.log().toString()));
    long from = stage.looks.logEnd(where);
    OwnClient.Tried tried = client().tryOut();
    stage.lastAnswer = tried.answer();
    Optional<Circumstances.ServerSide> server =
        withServer
            ? Optional.of(stage.looks.look(where, login, from, OptionalInt.empty()))
            : Optional.empty();
    return Diagnosis.of(
        new Circumstances(
            new Circumstances.Wanted(
                login,
                "127.0.0.1",
                recordedPort.orElse(stage.sshd.port()),
                pinned.stream().map(PublicKey::fingerprint).toList(),
                Optional.of(key())),
            tried.outcome(),
            withClient ? Optional.of(tried.seen()) : Optional.empty(),
            server,
            Optional.empty(),
            new Books(
                placedAt, Optional.empty(), propagation, SignInMode.KEY, otherAccounts, Map.of()),
            Instant.now()));
  }

  Path file(String name) {
    return directory.resolve(name);
  }

  private void build() throws IOException {
    login = "u" + NUMBER.incrementAndGet() + tags;
    directory = Files.createDirectories(stage.directory.resolve("client").resolve(login));
    if (accountExists) {
      stage.sshd.account(login);
      shell.ifPresent(missing -> stage.shell(login, missing));
      server();
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
                        + stage.sshd.port()
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

  private void server() throws IOException {
    Path home = stage.sshd.home(login);
    Path keys = home.resolve(".ssh").resolve(fileName);
    Files.delete(stage.sshd.authorizedKeys(login));
    byte[] content =
        bytes.orElseGet(
            () ->
                text.replace("LINE", key().line("isla@harbour"))
                    .replace("KEY", key().line().substring(key().line().indexOf(' ') + 1))
                    .replace("WORD", key().type().word())
                    .getBytes(StandardCharsets.ISO_8859_1));
    Files.write(keys, content);
    Unprivileged.own(home);
    mode(keys, fileMode);
    mode(home.resolve(".ssh"), directoryMode);
    mode(home, homeMode);
    if (owner.isPresent()) {
      Files.setAttribute(keys, "unix:uid", owner.get());
      mode(keys, "rw-r--r--");
    }
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
        List.of("-p", String.valueOf(toPort.or(() -> recordedPort).orElse(stage.sshd.port()))));
    arguments.add(asUser.orElse(login) + "@" + toHost.orElse("127.0.0.1"));
    Map<String, String> variables = new HashMap<>(environment);
    variables.putIfAbsent("SSH_AUTH_SOCK", "");
    return new OwnClient(arguments, variables, Duration.ofSeconds(30));
  }
}
