package tolvin.connectors.git;

import java.time.Clock;
import java.util.List;
import java.util.Optional;
import tolvin.connectors.AccountSides;
import tolvin.connectors.AccountSides.Looked;
import tolvin.connectors.ssh.SshConnections;
import tolvin.core.pair.SecretPair;
import tolvin.core.port.Login;
import tolvin.core.port.Server;
import tolvin.standins.local.LocalHosting;
import tolvin.standins.local.LocalSshServer;

/** What the repository of a local hosting layer says of its users, for explaining sign-ins. */
public final class RepositorySides implements AutoCloseable {
  private final RepositoryAccounts accounts;
  private final KeyRepository repository;

  /** Asks a repository. */
  public RepositorySides(LocalSshServer server, SecretPair keeper, SshConnections connections) {
    accounts = new RepositoryAccounts(connections, Clock.systemUTC());
    Server at = new Server("code", "127.0.0.1", server.port(), List.of(server.hostKey()));
    repository =
        new KeyRepository(
            new Login(at, "git", keeper),
            LocalHosting.PATH,
            LocalHosting.BRANCH,
            "keydir/people/{login}.pub",
            true,
            "Tolvin <tolvin@skerrymoor.example>",
            Optional.empty());
  }

  /** What it says of one of them now. */
  public Looked look(String login) {
    return new AccountSides(accounts, null)
        .look(new RepositoryFamily(accounts), new InRepository(repository, login));
  }

  @Override
  public void close() {
    accounts.close();
  }
}
