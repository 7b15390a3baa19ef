package tolvin.connectors.git;

import java.time.Clock;
import java.util.List;
import java.util.Optional;
import tolvin.connectors.AccountSides;
import tolvin.connectors.ssh.SshConnections;
import tolvin.core.diagnosis.AccountSide;
import tolvin.core.diagnosis.Circumstances.KeysFile;
import tolvin.core.pair.SecretPair;
import tolvin.core.port.Login;
import tolvin.core.port.PortException;
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

  /** What it says of a user now. */
  public AccountSide look(String login) {
    return new AccountSides(accounts, null).look(new InRepository(repository, login));
  }

  /** The lines of a user's files; empty if they cannot be read. */
  public Optional<KeysFile> lines(String login) {
    try {
      return new RepositoryFamily(accounts).keysFile(new InRepository(repository, login));
    } catch (PortException unread) {
      return Optional.empty();
    }
  }

  @Override
  public void close() {
    accounts.close();
  }
}
