package tolvin.connectors.diagnosis;

import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.attribute.PosixFilePermissions;
import java.util.List;
import java.util.Optional;
import java.util.function.Supplier;
import tolvin.connectors.ssh.SshConnections;
import tolvin.core.form.ExchangeFile;
import tolvin.core.key.PublicKey;
import tolvin.standins.local.LocalKeysServer;
import tolvin.standins.local.LocalProftpd;
import tolvin.standins.local.Unprivileged;

/** An SSH server whose accounts keep their keys in files, which Tolvin may look at. */
class FileGround extends ServerGround {
  private final Supplier<List<Mistake>> own;
  private final Supplier<List<Mistake>> usual;

  FileGround(
      String name,
      LocalKeysServer server,
      SshConnections connections,
      Supplier<List<Mistake>> own,
      Supplier<List<Mistake>> usual)
      throws IOException {
    super(name, server, connections);
    this.own = own;
    this.usual = usual;
    server.account(KEEPER).authorize(KEEPER, management.key().line());
    server.start();
  }

  @Override
  public void build(Scene scene, String account) throws IOException {
    server.account(account);
    scene.shell.ifPresent(missing -> shell(account, missing));
    Path home = server.home(account);
    Path keys = home.resolve(".ssh").resolve(scene.fileName);
    Files.delete(server.authorizedKeys(account));
    Files.write(keys, scene.content(written(scene.key())));
    Unprivileged.own(home);
    mode(keys, scene.fileMode);
    mode(home.resolve(".ssh"), scene.directoryMode);
    mode(home, scene.homeMode);
    if (scene.owner.isPresent()) {
      Files.setAttribute(keys, "unix:uid", scene.owner.get());
      mode(keys, "rw-r--r--");
    }
  }

  /** A key as its file wants it, without the last line end. */
  private String written(PublicKey key) {
    return server instanceof LocalProftpd
        ? ExchangeFile.write(key, "isla@harbour").stripTrailing()
        : key.line("isla@harbour");
  }

  private static void mode(Path path, String mode) throws IOException {
    Files.setPosixFilePermissions(path, PosixFilePermissions.fromString(mode));
  }

  /** Gives an account another shell. */
  private void shell(String login, String shell) {
    try {
      Path passwd = server.directory().resolve("passwd");
      Files.writeString(
          passwd,
          Files.readString(passwd).replaceAll("(?m)^(" + login + ":.*):/bin/sh$", "$1:" + shell));
    } catch (IOException e) {
      throw new IllegalStateException(e);
    }
  }

  @Override
  Optional<String> keysPath(String account) {
    return Optional.of(server.home(account).resolve(".ssh/authorized_keys").toString());
  }

  @Override
  public List<Mistake> own() {
    return own.get();
  }

  @Override
  public List<Mistake> usual() {
    return usual.get();
  }

  /** Bytes of a text with one character each. */
  static byte[] bytes(String text) {
    return text.getBytes(StandardCharsets.ISO_8859_1);
  }

  /** The same server, where only the client's side is seen. */
  Ground seenByClient() {
    return new OneSide(this, "on a server that only its client sees", true);
  }

  /** The same server, where it is Tolvin that signs in. */
  Ground triedByTolvin() {
    return new OneSide(this, "when Tolvin itself tries", false);
  }
}
