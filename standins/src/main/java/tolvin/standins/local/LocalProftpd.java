package tolvin.standins.local;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.attribute.PosixFilePermissions;
import java.util.ArrayList;
import java.util.List;
import tolvin.core.signin.ExtendedLog;

/**
 * Debian's ProFTPD server on loopback with its module for SFTP and accounts of its own. Keys are
 * blocks of RFC 4716 in each account's {@code .ssh/authorized_keys}.
 */
public final class LocalProftpd extends LocalKeysServer {
  private final List<String> further = new ArrayList<>();

  private LocalProftpd(Path directory, int port) throws IOException {
    super(directory, port);
  }

  /** Sets a server up, without starting it; what is there already is kept. */
  public static LocalProftpd at(Path directory, int port) throws IOException {
    LocalProftpd server = new LocalProftpd(directory, port);
    for (Path secret : List.of(server.accounts.passwd(), server.accounts.group())) {
      Files.setPosixFilePermissions(secret, PosixFilePermissions.fromString("rw-------"));
    }
    Unprivileged.own(server.directory);
    return server;
  }

  @Override
  public LocalProftpd account(String name) throws IOException {
    super.account(name);
    return this;
  }

  @Override
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
                "SFTPAuthorizedUserKeys file:~/.ssh/authorized_keys"
                    + String.join("", further.stream().map(path -> " file:" + path).toList()),
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

  /**
   * Has it look for an account's keys in files besides the usual one; takes effect with the next
   * start.
   *
   * @param paths as its configuration names them (mod_sftp, SFTPAuthorizedUserKeys)
   */
  public LocalProftpd further(String... paths) {
    further.addAll(List.of(paths));
    return this;
  }

  /** As a block that ssh-keygen makes of it, with the line's own comment. */
  @Override
  public void authorize(String account, String line) throws IOException {
    Path one = Files.writeString(file("one.pub"), line + "\n");
    String block =
        LocalSshServer.said(List.of("ssh-keygen", "-e", "-m", "RFC4716", "-f", one + "")).strip();
    String comment = line.replaceFirst("^\\S+ \\S+ ?", "");
    super.authorize(account, block.replaceFirst("Comment: .*", "Comment: \"" + comment + "\""));
  }

  @Override
  public Path log() {
    return file("sign-ins");
  }
}
