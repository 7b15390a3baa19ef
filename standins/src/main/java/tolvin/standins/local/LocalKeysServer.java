package tolvin.standins.local;

import java.io.IOException;
import java.nio.file.Path;
import java.util.Optional;
import tolvin.core.key.PublicKey;

/**
 * A server of Debian's on loopback whose accounts, which exist for it alone, keep the keys that
 * they accept in files.
 */
public abstract class LocalKeysServer implements AutoCloseable {
  final Path directory;
  final int port;
  final LocalAccounts accounts;
  Process process;

  /** Sets one up in a directory; what is there already is kept. */
  LocalKeysServer(Path directory, int port) throws IOException {
    this.directory = directory.toAbsolutePath();
    this.port = port;
    Unprivileged.checkReachable(this.directory);
    this.accounts = LocalAccounts.in(this.directory);
    LocalAccounts.makeHostKey(file("host_key"));
  }

  /**
   * Starts it.
   *
   * @throws IOException if it does not start, with the last lines of its log
   */
  public abstract LocalKeysServer start() throws IOException;

  /** The log that sign-ins are written to. */
  public abstract Path log();

  /** Adds an account, also while the server runs; an account that is there already is kept. */
  public LocalKeysServer account(String name) throws IOException {
    accounts.add(name);
    return this;
  }

  /**
   * Adds a key to an account's file, as that server's administrator would.
   *
   * @param line as it stands in authorized_keys
   */
  public void authorize(String account, String line) throws IOException {
    accounts.authorize(account, line);
  }

  /** The port it listens on. */
  public final int port() {
    return port;
  }

  /** The directory that holds all of it. */
  public final Path directory() {
    return directory;
  }

  /** The host key. */
  public final PublicKey hostKey() {
    return LocalAccounts.hostKey(file("host_key"));
  }

  /** An account's home directory. */
  public final Path home(String account) {
    return accounts.home(account);
  }

  /** An account's file of accepted keys. */
  public final Path authorizedKeys(String account) {
    return accounts.authorizedKeys(account);
  }

  /** The process id of the listening server, if it runs. */
  public final Optional<Long> pid() {
    return Optional.ofNullable(process).filter(Process::isAlive).map(Process::pid);
  }

  /** Stops it, with the sessions that it serves. */
  @Override
  public final void close() {
    if (process != null) {
      Processes.end(process);
    }
  }

  final Path file(String name) {
    return directory.resolve(name);
  }
}
