package tolvin.connectors.ssh;

import java.nio.charset.StandardCharsets;
import java.util.Optional;
import java.util.concurrent.locks.LockSupport;
import tolvin.core.estate.SignInMode;
import tolvin.core.port.CommandPort;
import tolvin.core.port.Lease;
import tolvin.core.port.PortException;
import tolvin.core.port.PortException.Kind;
import tolvin.core.port.Server;
import tolvin.core.port.SignInModePort;
import tolvin.core.word.Words;

/**
 * Sign-in modes as files of an OpenSSH server's configuration, one for each account, with a {@code
 * Match} block (sshd_config(5)); the server is told to read them, and then asked whether it does.
 */
public final class SignInModeFiles implements SignInModePort {
  private static final int MODE = 0644;
  private static final int LOOKS = 20;
  private static final long BETWEEN_LOOKS = 250_000_000L;

  private final SshConnections connections;
  private final SignInModes modes;
  private final CommandPort commands;

  /**
   * Works over these connections.
   *
   * @param commands what runs the server's reload
   */
  public SignInModeFiles(SshConnections connections, CommandPort commands) {
    this.connections = connections;
    this.modes = new SignInModes(connections);
    this.commands = commands;
  }

  @Override
  public Optional<SignInMode> ask(Server server, String account) throws PortException {
    return modes.of(server, account);
  }

  @Override
  public void change(Where where, Server server, String account, SignInMode mode, Lease lease)
      throws PortException {
    Optional<byte[]> before = connections.use(where.login(), files -> files.read(where.path()));
    lease.check();
    write(where, Optional.of(block(account, mode)), lease);
    try {
      commands.run(where.login(), where.reload());
      awaitMode(server, account, mode);
    } catch (PortException e) {
      write(where, before, Lease.UNLIMITED); // whatever happened, it must not stay half done
      commands.run(where.login(), where.reload());
      throw new PortException(
          Kind.UNEXPECTED,
          "The sign-in mode of "
              + account
              + " was not changed: "
              + e.getMessage()
              + " What was there before was restored.",
          "Look whether the server's configuration includes "
              + where.path()
              + ", before any other Match.",
          e);
    }
  }

  private void awaitMode(Server server, String account, SignInMode mode) throws PortException {
    SignInMode expected = mode == SignInMode.BOTH ? SignInMode.KEY : mode;
    Optional<SignInMode> seen = Optional.empty();
    PortException last = null;
    for (int i = 0; i < LOOKS; i++) {
      try {
        seen = modes.of(server, account);
        if (seen.filter(expected::equals).isPresent()) {
          return;
        }
      } catch (PortException restarting) {
        last = restarting;
      }
      LockSupport.parkNanos(BETWEEN_LOOKS);
    }
    throw new PortException(
        Kind.UNEXPECTED,
        "the server offers "
            + seen.map(Words::of).orElse(last == null ? "nothing" : last.getMessage())
            + ".",
        "");
  }

  private void write(Where where, Optional<byte[]> content, Lease lease) throws PortException {
    connections.use(
        where.login(),
        files -> {
          if (content.isEmpty()) {
            files.remove(where.path());
          } else {
            new WholeFile(files, where.path()).change(MODE, now -> content.get(), lease);
          }
          return true;
        });
  }

  private static byte[] block(String account, SignInMode mode) {
    String methods =
        switch (mode) {
          case KEY -> "publickey";
          case PASSWORD -> "password keyboard-interactive";
          case BOTH -> "publickey,password publickey,keyboard-interactive";
          case EITHER -> "any";
        };
    String text =
        "# written by Tolvin: how this account signs in\nMatch User "
            + account
            + "\n  PubkeyAuthentication "
            + (mode == SignInMode.PASSWORD ? "no" : "yes")
            + "\n  PasswordAuthentication "
            + (mode == SignInMode.KEY ? "no" : "yes")
            + "\n  AuthenticationMethods "
            + methods
            + "\nMatch all\n";
    return text.getBytes(StandardCharsets.US_ASCII);
  }
}
