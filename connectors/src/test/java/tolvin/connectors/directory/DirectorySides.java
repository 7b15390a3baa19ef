package tolvin.connectors.directory;

import java.io.IOException;
import java.util.Optional;
import tolvin.connectors.AccountSides;
import tolvin.connectors.directory.DirectoryServer.Security;
import tolvin.connectors.shared.Egress;
import tolvin.core.diagnosis.AccountSide;
import tolvin.core.diagnosis.Circumstances.KeysFile;
import tolvin.core.port.PortException;
import tolvin.standins.local.LocalDirectory;

/** What a local directory says of its people, for explaining sign-ins. */
public final class DirectorySides implements AutoCloseable {
  private final DirectoryAccounts accounts = new DirectoryAccounts(Egress.ANYWHERE);
  private final DirectoryServer server;

  /** Asks a directory. */
  public DirectorySides(LocalDirectory directory, String secret) throws IOException {
    server =
        new DirectoryServer(
            "people",
            "127.0.0.1",
            directory.port(),
            Security.LDAPS,
            directory.trusted(),
            LocalDirectory.KEEPER,
            secret,
            "ou=people," + LocalDirectory.BASE,
            "(uid={login})",
            LocalDirectory.ATTRIBUTE,
            LocalDirectory.CLASS);
  }

  /** What it says of a person now. */
  public AccountSide look(String login) {
    return new AccountSides(accounts, null).look(new InDirectory(server, login));
  }

  /** The lines of a person's keys; empty if they cannot be read. */
  public Optional<KeysFile> lines(String login) {
    try {
      return new DirectoryFamily(accounts).keysFile(new InDirectory(server, login));
    } catch (PortException unread) {
      return Optional.empty();
    }
  }

  @Override
  public void close() {
    accounts.close();
  }
}
