package tolvin.standins.local;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardOpenOption;
import java.nio.file.attribute.PosixFilePermissions;
import java.util.List;
import tolvin.core.key.OneLine;
import tolvin.core.key.PublicKey;
import tolvin.core.key.RefusedException;

/**
 * Accounts of a local server, which exist for it alone: no user of the machine is made or changed.
 * All of them run with one user id.
 *
 * <pre>{@code
 * directory/passwd, group
 * directory/home/ACCOUNT/.ssh/authorized_keys
 * }</pre>
 */
final class LocalAccounts {
  private final Path directory;

  private LocalAccounts(Path directory) {
    this.directory = directory;
  }

  /** Makes the files that accounts are written to, if they are not there yet. */
  static LocalAccounts in(Path directory) throws IOException {
    LocalAccounts accounts = new LocalAccounts(directory);
    Files.createDirectories(directory.resolve("home"));
    if (!Files.exists(accounts.passwd())) {
      String ids = Unprivileged.uid() + ":" + Unprivileged.gid();
      Files.writeString(accounts.passwd(), "runner:x:" + ids + ":::/bin/sh\n");
      Files.writeString(accounts.group(), "runner:x:" + Unprivileged.gid() + ":\n");
    }
    return accounts;
  }

  /** The accounts as passwd(5) has them. */
  Path passwd() {
    return directory.resolve("passwd");
  }

  /** Their group (group(5)). */
  Path group() {
    return directory.resolve("group");
  }

  /**
   * What makes a program find them: Debian's libnss-wrapper reads them from the files.
   *
   * @param libraries what else is loaded into the program
   */
  List<String> environment(List<Path> libraries) {
    StringBuilder preloaded = new StringBuilder("LD_PRELOAD=libnss_wrapper.so");
    libraries.forEach(library -> preloaded.append(':').append(library));
    return List.of(
        "env",
        preloaded.toString(),
        "NSS_WRAPPER_PASSWD=" + passwd(),
        "NSS_WRAPPER_GROUP=" + group());
  }

  Path home(String account) {
    return directory.resolve("home").resolve(account);
  }

  Path authorizedKeys(String account) {
    return home(account).resolve(".ssh/authorized_keys");
  }

  /** Adds one; one that is there already is kept. */
  void add(String name) throws IOException {
    Path home = home(name);
    if (Files.exists(home)) {
      return;
    }
    Files.createDirectories(home.resolve(".ssh"));
    Files.writeString(authorizedKeys(name), "");
    for (Path path : List.of(home, home.resolve(".ssh"))) {
      Files.setPosixFilePermissions(path, PosixFilePermissions.fromString("rwx------"));
    }
    Files.setPosixFilePermissions(
        authorizedKeys(name), PosixFilePermissions.fromString("rw-------"));
    Unprivileged.own(home);
    Files.writeString(
        passwd(),
        String.join(
            "",
            name,
            ":x:",
            Unprivileged.uid(),
            ":",
            Unprivileged.gid(),
            "::",
            home.toString(),
            ":/bin/sh\n"),
        StandardOpenOption.APPEND);
  }

  /** Adds a line to an account's file, if it is not there yet. */
  void authorize(String account, String line) throws IOException {
    Path keys = authorizedKeys(account);
    if (!Files.readString(keys).contains(line)) {
      Files.writeString(keys, line + "\n", StandardOpenOption.APPEND);
    }
  }

  /** Makes an Ed25519 host key in OpenSSH's form, if there is none yet. */
  static void makeHostKey(Path file) throws IOException {
    if (!Files.exists(file)) {
      LocalSshServer.run(
          List.of("ssh-keygen", "-q", "-t", "ed25519", "-N", "", "-f", file.toString()));
    }
  }

  /** The public key beside a host key. */
  static PublicKey hostKey(Path file) {
    try {
      return OneLine.read(Files.readAllBytes(Path.of(file + ".pub"))).orRefuse().key();
    } catch (IOException | RefusedException e) {
      throw new IllegalStateException("no host key " + file, e);
    }
  }
}
