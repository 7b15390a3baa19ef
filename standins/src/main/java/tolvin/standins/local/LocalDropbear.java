package tolvin.standins.local;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import tolvin.core.key.PublicKey;

/**
 * Debian's Dropbear server on loopback with accounts of its own. Its SFTP is that of OpenSSH, which
 * it starts for each connection that asks for it.
 */
public final class LocalDropbear implements LocalKeysServer {
  private final Path directory;
  private final int port;
  private final LocalAccounts accounts;
  private Process process;

  private LocalDropbear(Path directory, int port, LocalAccounts accounts) {
    this.directory = directory;
    this.port = port;
    this.accounts = accounts;
  }

  /** Sets a server up, without starting it; what is there already is kept. */
  public static LocalDropbear at(Path directory, int port) throws IOException {
    Path whole = directory.toAbsolutePath();
    Unprivileged.checkReachable(whole);
    LocalDropbear server = new LocalDropbear(whole, port, LocalAccounts.in(whole));
    LocalAccounts.makeHostKey(server.file("host_key"));
    if (!Files.exists(server.file("dropbear_key"))) {
      LocalSshServer.run(
          List.of(
              "dropbearconvert",
              "openssh",
              "dropbear",
              server.file("host_key") + "",
              server.file("dropbear_key") + ""));
    }
    Unprivileged.own(whole);
    return server;
  }

  @Override
  public LocalDropbear account(String name) throws IOException {
    accounts.add(name);
    return this;
  }

  /**
   * Starts it.
   *
   * @param options more options of the program
   * @throws IOException if it does not start, with the last lines of its log
   */
  public LocalDropbear start(String... options) throws IOException {
    List<String> command = new ArrayList<>(accounts.environment(List.of()));
    command.addAll(
        List.of(
            "/usr/sbin/dropbear",
            "-F",
            "-E",
            "-s",
            "-m",
            "-p",
            "127.0.0.1:" + port,
            "-r",
            file("dropbear_key").toString(),
            "-P",
            file("pid").toString()));
    command.addAll(List.of(options));
    process =
        new ProcessBuilder(Unprivileged.command(command))
            .redirectErrorStream(true)
            .redirectOutput(log().toFile())
            .start();
    Processes.demandStarted("Dropbear server", process, port, log());
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

  @Override
  public void authorize(String account, String line) throws IOException {
    accounts.authorize(account, line);
  }

  @Override
  public Path log() {
    return file("log");
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
