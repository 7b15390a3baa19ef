package tolvin.standins.local;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;

/**
 * Debian's OpenSSH server on loopback with accounts of its own. Shell, SFTP and log lines carry an
 * account's name.
 */
public final class LocalSshServer extends LocalKeysServer {
  private final List<String> options;
  private List<Path> preloaded = List.of();
  private boolean hasSftp = true;

  private LocalSshServer(Path directory, int port, List<String> options) throws IOException {
    super(directory, port);
    this.options = options;
  }

  /**
   * Sets a server up, without starting it; what is there already is kept.
   *
   * @param options more lines for its configuration, Match blocks last
   */
  public static LocalSshServer at(Path directory, int port, String... options) throws IOException {
    LocalSshServer server = new LocalSshServer(directory, port, List.of(options));
    Unprivileged.own(server.directory);
    return server;
  }

  /**
   * Has the server run with a library loaded into it, such as one that holds up file operations.
   */
  public LocalSshServer preload(Path library) {
    preloaded = List.of(library);
    return this;
  }

  /** Has the server offer no SFTP. */
  public LocalSshServer withoutSftp() {
    hasSftp = false;
    return this;
  }

  @Override
  public LocalSshServer account(String name) throws IOException {
    super.account(name);
    return this;
  }

  /**
   * Gives an account a password, which the server only asks for where its options say so.
   *
   * @param password may hold blanks
   */
  public LocalSshServer password(String account, String password) throws IOException {
    Process openssl =
        new ProcessBuilder("openssl", "passwd", "-6", "-stdin").redirectErrorStream(true).start();
    try (var out = openssl.getOutputStream()) {
      out.write(password.getBytes(java.nio.charset.StandardCharsets.UTF_8));
    }
    String hash = new String(openssl.getInputStream().readAllBytes()).strip();
    List<String> lines = new ArrayList<>();
    for (String line : Files.readAllLines(accounts.passwd())) {
      lines.add(
          line.startsWith(account + ":")
              ? line.replaceFirst(":[^:]*:", ":" + hash.replace("$", "\\$") + ":")
              : line);
    }
    Files.write(accounts.passwd(), lines);
    return this;
  }

  @Override
  public LocalSshServer start() throws IOException {
    return start(List.of());
  }

  /** Starts it behind another command, such as one that limits what it may write. */
  public LocalSshServer start(List<String> behind) throws IOException {
    List<String> config = new ArrayList<>();
    config.add("Port " + port);
    config.add("ListenAddress 127.0.0.1");
    config.add("HostKey " + file("host_key"));
    config.add("PidFile " + file("pid"));
    int matches = (int) options.stream().takeWhile(option -> !option.startsWith("Match ")).count();
    config.addAll(options.subList(0, matches));
    if (options.stream().noneMatch(option -> option.startsWith("AuthorizedKeysFile"))) {
      config.add("AuthorizedKeysFile .ssh/authorized_keys");
    }
    config.add("UsePAM no");
    config.add("PasswordAuthentication no");
    config.add("KbdInteractiveAuthentication no");
    config.add("LogLevel VERBOSE");
    config.add("MaxStartups 200");
    if (hasSftp) {
      config.add("Subsystem sftp internal-sftp");
    }
    config.addAll(options.subList(matches, options.size())); // a Match block goes on to the end
    Files.write(file("sshd_config"), config);
    Unprivileged.own(directory);
    List<String> command = new ArrayList<>(behind);
    command.addAll(accounts.environment(preloaded));
    command.addAll(
        List.of(
            "/usr/sbin/sshd",
            "-D",
            "-f",
            file("sshd_config").toString(),
            "-E",
            file("log").toString()));
    process =
        new ProcessBuilder(Unprivileged.command(command))
            .redirectErrorStream(true)
            .redirectOutput(file("output").toFile())
            .start();
    Processes.demandStarted("OpenSSH server", process, port, file("output"), file("log"));
    return this;
  }

  @Override
  public Path log() {
    return file("log");
  }

  /** Replaces the host key, as after a reinstallation; takes effect with the next start. */
  public void replaceHostKey() throws IOException {
    Files.delete(file("host_key"));
    Files.delete(file("host_key.pub"));
    LocalAccounts.makeHostKey(file("host_key"));
    Unprivileged.own(directory);
  }

  /** The processes that serve sessions now. */
  public List<ProcessHandle> sessions() {
    return process == null ? List.of() : process.descendants().toList();
  }

  /** Kills it without a word; the sessions that it serves go on. */
  public void kill() {
    if (process != null) {
      process.destroyForcibly().onExit().join();
    }
  }

  /**
   * Runs a command to its end.
   *
   * @throws IOException if it fails, with what it said
   */
  public static void run(List<String> command) throws IOException {
    said(command);
  }

  /**
   * What a command says until its end.
   *
   * @throws IOException if it fails, with that
   */
  public static String said(List<String> command) throws IOException {
    return Processes.said(new ProcessBuilder(command));
  }
}
