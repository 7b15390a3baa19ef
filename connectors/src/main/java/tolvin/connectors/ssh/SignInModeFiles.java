package tolvin.connectors.ssh;

import java.nio.charset.StandardCharsets;
import java.util.Optional;
import java.util.concurrent.locks.LockSupport;
import tolvin.core.port.Lease;
import tolvin.core.port.PortException;
import tolvin.core.port.PortException.Kind;
import tolvin.core.port.Server;
import tolvin.core.port.SignInModePort;

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
  private final SshCommands commands;

  /** Works over these connections. */
  public SignInModeFiles(SshConnections connections) {
    this.connections = connections;
    this.modes = new SignInModes(connections);
    this.commands = new SshCommands(connections);
  }

  @Override
  public Optional<String> ask(Server server, String account) throws PortException {
    return modes.of(server, account);
  }

  @Override
  public void change(Where where, Server server, String account, String mode, Lease lease)
      throws PortException {
    Optional<byte[]> before = connections.use(where.login(), files -> files.read(where.path()));
    lease.check();
    write(where, Optional.of(block(account, mode)));
    try {
      commands.run(where.login(), where.reload());
      awaitMode(server, account, mode);
    } catch (PortException e) {
      write(where, before);
      commands.run(where.login(), where.reload());
      throw new PortException(
          Kind.UNEXPECTED,
          "The sign-in mode of "
              + account
              + " was not changed: "
              + e.getMessage()
              + " What was there before was put back.",
          "Look whether the server's configuration includes "
              + where.path()
              + ", before any other Match.",
          e);
    }
  }

  private void awaitMode(Server server, String account, String mode) throws PortException {
    String expected = mode.equals("both") ? "key" : mode;
    Optional<String> seen = Optional.empty();
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
        "the server offers " + seen.orElse(last == null ? "nothing" : last.getMessage()) + ".",
        "");
  }

  private void write(Where where, Optional<byte[]> content) throws PortException {
    connections.use(
        where.login(),
        files -> {
          if (content.isEmpty()) {
            files.remove(where.path());
            return true;
          }
          String beside = where.path() + RemoteFiles.BESIDE + "new";
          files.writeNew(beside, content.get(), MODE);
          files.replace(beside, where.path());
          return true;
        });
  }

  private static byte[] block(String account, String mode) {
    String methods =
        switch (mode) {
          case "key" -> "publickey";
          case "password" -> "password keyboard-interactive";
          case "both" -> "publickey,password publickey,keyboard-interactive";
          default -> "any";
        };
    String text =
        "# written by Tolvin: how this account signs in\nMatch User "
            + account
            + "\n  PubkeyAuthentication "
            + (mode.equals("password") ? "no" : "yes")
            + "\n  PasswordAuthentication "
            + (mode.equals("key") ? "no" : "yes")
            + "\n  AuthenticationMethods "
            + methods
            + "\nMatch all\n";
    return text.getBytes(StandardCharsets.US_ASCII);
  }
}
