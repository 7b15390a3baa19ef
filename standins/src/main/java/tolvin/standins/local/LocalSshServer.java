package tolvin.standins.local;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardOpenOption;
import java.nio.file.attribute.PosixFilePermissions;
import java.time.Duration;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import tolvin.core.key.OneLine;
import tolvin.core.key.PublicKey;
import tolvin.core.key.RefusedException;

/**
 * Debian's OpenSSH server on loopback with accounts of its own. The accounts exist for this server
 * alone (Debian's libnss-wrapper reads them from a file), so no user of the machine is made or
 * changed; all of them run with one user id.
 *
 * <pre>{@code
 * directory/passwd, group, sshd_config, host_key, log
 * directory/home/ACCOUNT/.ssh/authorized_keys
 * }</pre>
 */
public final class LocalSshServer implements AutoCloseable {
  private final Path directory;
  private final int port;
  private final List<String> options;
  private String preloaded = "libnss_wrapper.so";
  private Process process;

  private LocalSshServer(Path directory, int port, List<String> options) {
    this.directory = directory.toAbsolutePath();
    this.port = port;
    this.options = options;
  }

  /**
   * Sets a server up, without starting it; what is there already is kept.
   *
   * @param options more lines for its configuration, Match blocks last
   */
  public static LocalSshServer at(Path directory, int port, String... options) throws IOException {
    LocalSshServer server = new LocalSshServer(directory, port, List.of(options));
    Unprivileged.checkReachable(directory);
    Files.createDirectories(directory.resolve("home"));
    if (!Files.exists(server.file("host_key"))) {
      run(
          List.of(
              "ssh-keygen", "-q", "-t", "ed25519", "-N", "", "-f", server.file("host_key") + ""));
      Files.writeString(
          server.file("passwd"),
          "runner:x:" + Unprivileged.uid() + ":" + Unprivileged.gid() + ":::/bin/sh\n");
      Files.writeString(server.file("group"), "runner:x:" + Unprivileged.gid() + ":\n");
    }
    Unprivileged.own(server.directory);
    return server;
  }

  /**
   * Has the server run with a library loaded into it, such as one that holds up file operations.
   */
  public LocalSshServer preload(Path library) {
    preloaded = "libnss_wrapper.so:" + library;
    return this;
  }

  /** Adds an account, also while the server runs; an account that is there already is kept. */
  public LocalSshServer account(String name) throws IOException {
    Path home = home(name);
    if (Files.exists(home)) {
      return this;
    }
    Files.createDirectories(home.resolve(".ssh"));
    Files.writeString(home.resolve(".ssh/authorized_keys"), "");
    for (Path path : List.of(home, home.resolve(".ssh"))) {
      Files.setPosixFilePermissions(path, PosixFilePermissions.fromString("rwx------"));
    }
    Files.setPosixFilePermissions(
        home.resolve(".ssh/authorized_keys"), PosixFilePermissions.fromString("rw-------"));
    Unprivileged.own(home);
    Files.writeString(
        file("passwd"),
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
    for (String line : Files.readAllLines(file("passwd"))) {
      lines.add(
          line.startsWith(account + ":")
              ? line.replaceFirst(":[^:]*:", ":" + hash.replace("$", "\\$") + ":")
              : line);
    }
    Files.write(file("passwd"), lines);
    return this;
  }

  /**
   * Starts it.
   *
   * @throws IOException if it does not start, with the last lines of its log
   */
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
    config.add("Subsystem sftp internal-sftp");
    config.addAll(options.subList(matches, options.size())); // a Match block goes on to the end
    Files.write(file("sshd_config"), config);
    Unprivileged.own(directory);
    List<String> command = new ArrayList<>(behind);
    command.addAll(
        List.of(
            "env",
            "LD_PRELOAD=" + preloaded,
            "NSS_WRAPPER_PASSWD=" + file("passwd"),
            "NSS_WRAPPER_GROUP=" + file("group"),
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
    try {
      Ports.await(
          "OpenSSH server on port " + port,
          Duration.ofSeconds(15),
          () -> !process.isAlive() || Ports.answers(port));
    } finally {
      if (!process.isAlive() || !Ports.answers(port)) {
        close();
        throw new IOException(
            "The OpenSSH server in "
                + directory
                + " did not start.\n"
                + Tail.of(file("output"), 10)
                + Tail.of(file("log"), 10));
      }
    }
    return this;
  }

  /** Stops it, with the sessions that it serves. */
  @Override
  public void close() {
    if (process != null) {
      Processes.end(process);
    }
  }

  /** The port it listens on. */
  public int port() {
    return port;
  }

  /** The directory that holds all of it. */
  public Path directory() {
    return directory;
  }

  /** An account's home directory. */
  public Path home(String account) {
    return directory.resolve("home").resolve(account);
  }

  /** An account's file of accepted keys. */
  public Path authorizedKeys(String account) {
    return home(account).resolve(".ssh/authorized_keys");
  }

  /** The log that sign-ins are written to. */
  public Path log() {
    return file("log");
  }

  /** The host key. */
  public PublicKey hostKey() {
    try {
      return OneLine.read(Files.readAllBytes(file("host_key.pub"))).orRefuse().key();
    } catch (IOException | RefusedException e) {
      throw new IllegalStateException("no host key in " + directory, e);
    }
  }

  /** Adds a line to an account's file of accepted keys, as that server's administrator would. */
  public void authorize(String account, String line) throws IOException {
    Path keys = authorizedKeys(account);
    if (!Files.readString(keys).contains(line)) {
      Files.writeString(keys, line + "\n", StandardOpenOption.APPEND);
    }
  }

  /** Replaces the host key, as after a reinstallation; takes effect with the next start. */
  public void replaceHostKey() throws IOException {
    Files.delete(file("host_key"));
    Files.delete(file("host_key.pub"));
    run(List.of("ssh-keygen", "-q", "-t", "ed25519", "-N", "", "-f", file("host_key") + ""));
    Unprivileged.own(directory);
  }

  /** The process id of the listening server, if it runs. */
  public Optional<Long> pid() {
    return Optional.ofNullable(process).filter(Process::isAlive).map(Process::pid);
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

  private Path file(String name) {
    return directory.resolve(name);
  }

  /**
   * Runs a command to its end.
   *
   * @throws IOException if it fails, with what it said
   */
  public static void run(List<String> command) throws IOException {
    Process process = new ProcessBuilder(command).redirectErrorStream(true).start();
    String output = new String(process.getInputStream().readAllBytes());
    try {
      if (process.waitFor() != 0) {
        throw new IOException(String.join(" ", command) + ": " + output);
      }
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
      throw new IOException("interrupted", e);
    }
  }
}
