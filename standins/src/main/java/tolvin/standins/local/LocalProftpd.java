package tolvin.standins.local;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.attribute.PosixFilePermissions;
import java.util.List;
import tolvin.core.key.PublicKey;
import tolvin.core.signin.ExtendedLog;

/**
 * Debian's ProFTPD server on loopback with its module for SFTP and accounts of its own. Keys are
 * blocks of RFC 4716 in each account's {@code .ssh/authorized_keys}.
 */
public final class LocalProftpd implements LocalKeysServer {
  private final Path directory;
  private final int port;
  private final LocalAccounts accounts;
  private Process process;

  private LocalProftpd(Path directory, int port, LocalAccounts accounts) {
    this.directory = directory;
    this.port = port;
    this.accounts = accounts;
  }

  /** Sets a server up, without starting it; what is there already is kept. */
  public static LocalProftpd at(Path directory, int port) throws IOException {
    Path whole = directory.toAbsolutePath();
    Unprivileged.checkReachable(whole);
    LocalProftpd server = new LocalProftpd(whole, port, LocalAccounts.in(whole));
    LocalAccounts.makeHostKey(server.file("host_key"));
    for (Path secret : List.of(server.accounts.passwd(), server.accounts.group())) {
      Files.setPosixFilePermissions(secret, PosixFilePermissions.fromString("rw-------"));
    }
    Unprivileged.own(whole);
    return server;
  }

  @Override
  public LocalProftpd account(String name) throws IOException {
    accounts.add(name);
    return this;
  }

  /**
   * Starts it.
   *
   * @throws IOException if it does not start, with the last lines of its log
   */
  public LocalProftpd start() throws IOException {
    Files.writeString(
        file("proftpd.conf"),
        String.join(
                "\n",
                "LoadModule mod_sftp.c",
                "ControlsEngine off",
                "ServerType standalone",
                "User " + Unprivileged.user(),
                "Group " + Unprivileged.group(),
                "DefaultAddress 127.0.0.1",
                "Port " + port,
                "UseIPv6 off",
                "UseReverseDNS off",
                "WtmpLog off",
                "TransferLog none",
                "MaxInstances 200",
                "MaxLoginAttempts 6",
                "PidFile " + file("pid"),
                "ScoreboardFile " + file("scoreboard"),
                "SystemLog " + file("system-log"),
                "AuthUserFile " + accounts.passwd(),
                "AuthGroupFile " + accounts.group(),
                "AuthOrder mod_auth_file.c",
                "RequireValidShell off",
                "AllowOverwrite on",
                "SFTPEngine on",
                "SFTPHostKey " + file("host_key"),
                "SFTPAuthMethods publickey",
                "SFTPAuthorizedUserKeys file:~/.ssh/authorized_keys",
                "SFTPLog " + file("sftp-log"),
                "DelayEngine off")
            + "\n"
            + String.join("\n", ExtendedLog.configuration(log().toString()))
            + "\n");
    Unprivileged.own(directory);
    process =
        new ProcessBuilder(
                Unprivileged.command(
                    List.of("/usr/sbin/proftpd", "-n", "-c", file("proftpd.conf").toString())))
            .redirectErrorStream(true)
            .redirectOutput(file("output").toFile())
            .start();
    Processes.demandStarted("ProFTPD server", process, port, file("output"), file("system-log"));
    return this;
  }

  @Override
  public int port() {
    return port;
  }

  @Override
  public PublicKey hostKey() {
    return LocalAccounts.hostKey(file("host_key"));
  }

  @Override
  public Path home(String account) {
    return accounts.home(account);
  }

  @Override
  public Path authorizedKeys(String account) {
    return accounts.authorizedKeys(account);
  }

  /** As a block that ssh-keygen makes of it, with the line's own comment. */
  @Override
  public void authorize(String account, String line) throws IOException {
    Path one = Files.writeString(file("one.pub"), line + "\n");
    String block =
        LocalSshServer.said(List.of("ssh-keygen", "-e", "-m", "RFC4716", "-f", one + "")).strip();
    String comment = line.replaceFirst("^\\S+ \\S+ ?", "");
    accounts.authorize(account, block.replaceFirst("Comment: .*", "Comment: \"" + comment + "\""));
  }

  @Override
  public Path log() {
    return file("sign-ins");
  }

  @Override
  public void close() {
    if (process != null) {
      Processes.end(process);
    }
  }

  private Path file(String name) {
    return directory.resolve(name);
  }
}
