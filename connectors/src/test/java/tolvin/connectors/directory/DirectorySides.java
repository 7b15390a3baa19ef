package tolvin.connectors.directory;

import java.io.IOException;
import tolvin.connectors.AccountSides;
import tolvin.connectors.AccountSides.Looked;
import tolvin.connectors.directory.DirectoryServer.Security;
import tolvin.connectors.shared.Egress;
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

  /** What it says of one of them now. */
  public Looked look(String login) {
    return new AccountSides(accounts, null)
        .look(new DirectoryFamily(accounts), new InDirectory(server, login));
  }

  @Override
  public void close() {
    accounts.close();
  }
}
