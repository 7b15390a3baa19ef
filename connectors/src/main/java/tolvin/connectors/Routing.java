package tolvin.connectors;

import java.time.Clock;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import tolvin.connectors.directory.DirectoryAccounts;
import tolvin.connectors.git.RepositoryAccounts;
import tolvin.connectors.http.AssertionTrials;
import tolvin.connectors.sheet.SheetAccounts;
import tolvin.connectors.sheet.SheetHealth;
import tolvin.connectors.sheet.SheetSeats;
import tolvin.connectors.sheet.SheetStates;
import tolvin.connectors.sheet.Steps;
import tolvin.connectors.ssh.AuthorizedKeysFiles;
import tolvin.connectors.ssh.FileSurveys;
import tolvin.connectors.ssh.SeatFiles;
import tolvin.connectors.ssh.SignInModes;
import tolvin.connectors.ssh.SshConnections;
import tolvin.connectors.ssh.SshTrials;
import tolvin.core.estate.Registered;
import tolvin.core.key.Fingerprint;
import tolvin.core.key.PublicKey;
import tolvin.core.port.AccountPort;
import tolvin.core.port.DirectoryPort;
import tolvin.core.port.HealthPort;
import tolvin.core.port.Lease;
import tolvin.core.port.Moment;
import tolvin.core.port.Place;
import tolvin.core.port.Place.ByHand;
import tolvin.core.port.Place.InDirectory;
import tolvin.core.port.Place.InRepository;
import tolvin.core.port.Place.OnSystem;
import tolvin.core.port.PortException;
import tolvin.core.port.PortException.Kind;
import tolvin.core.port.SeatPort;
import tolvin.core.port.SurveyPort;
import tolvin.core.port.SystemConnector;
import tolvin.core.port.TrialPort;
import tolvin.core.sheet.SystemSheet.Speech;

/** Sends each action to the connector that reaches its place. */
public final class Routing implements AutoCloseable {
  private final SshConnections connections;
  private final Clock clock;
  private final Steps steps;
  private final Map<String, SystemConnector> jars;
  private final RepositoryAccounts repositories;
  private final DirectoryAccounts directories = new DirectoryAccounts();

  /**
   * Over these connections.
   *
   * @param jars connectors of their own, by the names that sheets call them
   */
  public Routing(SshConnections connections, Clock clock, Map<String, SystemConnector> jars) {
    this.connections = connections;
    this.clock = clock;
    this.steps = new Steps(clock);
    this.jars = Map.copyOf(jars);
    this.repositories = new RepositoryAccounts(connections, clock);
  }

  /** Accounts of every family. */
  public AccountPort accounts() {
    AccountPort files = new AuthorizedKeysFiles(connections);
    AccountPort sheets = new SheetAccounts(steps);
    return new AccountPort() {
      private AccountPort of(Place where) throws PortException {
        if (where instanceof InRepository) {
          return repositories;
        }
        if (where instanceof InDirectory) {
          return directories;
        }
        if (where instanceof ByHand) {
          throw new PortException(
              Kind.NOT_ALLOWED,
              where.name() + " is changed by its own administrator, and nobody else can look.",
              "Hand over what is to be done: tolvin hand-over list");
        }
        if (where instanceof OnSystem system) {
          return system.connection().sheet().speech() == Speech.CONNECTOR
              ? jar(system).accounts()
              : sheets;
        }
        return files;
      }

      @Override
      public List<Registered> read(Place where) throws PortException {
        return of(where).read(where);
      }

      @Override
      public List<Registered> place(Place where, Entry entry, Lease lease) throws PortException {
        return of(where).place(where, entry, lease);
      }

      @Override
      public List<Registered> withdraw(Place where, Entry entry, Lease lease) throws PortException {
        return of(where).withdraw(where, entry, lease);
      }

      @Override
      public Change rehearse(Place where, Optional<Entry> add, Optional<Entry> remove)
          throws PortException {
        return of(where).rehearse(where, add, remove);
      }

      @Override
      public List<Registered> replace(Place where, List<String> found, Entry entry, Lease lease)
          throws PortException {
        return of(where).replace(where, found, entry, lease);
      }

      @Override
      public boolean settle(Place where, String attempt) throws PortException {
        return of(where).settle(where, attempt);
      }

      @Override
      public String said(Place where) {
        return where instanceof InRepository ? repositories.said(where) : "";
      }
    };
  }

  /** All that can be seen of accounts. */
  public SurveyPort surveys() {
    return new Surveys(
        accounts(),
        new FileSurveys(connections),
        repositories,
        directories,
        new SignInModes(connections),
        clock);
  }

  /** Directories as such. */
  public DirectoryPort directories() {
    return directories;
  }

  /** Seats of every kind. */
  public SeatPort seats() {
    SeatPort files = new SeatFiles(connections);
    SeatPort sheets = new SheetSeats(steps);
    return new SeatPort() {
      private SeatPort of(Place where) {
        return where instanceof OnSystem ? sheets : files;
      }

      @Override
      public Holding read(Place where) throws PortException {
        return of(where).read(where);
      }

      @Override
      public Holding supply(
          Place where, PublicKey key, byte[] privateFile, Moment moment, Lease lease)
          throws PortException {
        return of(where).supply(where, key, privateFile, moment, lease);
      }

      @Override
      public Holding restore(Place where, PublicKey key, Moment moment, Lease lease)
          throws PortException {
        return of(where).restore(where, key, moment, lease);
      }

      @Override
      public boolean settle(Place where, String attempt) throws PortException {
        return of(where).settle(where, attempt);
      }

      @Override
      public List<String> leftBehind(Place where) throws PortException {
        return of(where).leftBehind(where);
      }

      @Override
      public Holding clear(Place where, PublicKey key, Lease lease) throws PortException {
        return of(where).clear(where, key, lease);
      }

      @Override
      public Tried trial(Place where, Fingerprint key) throws PortException {
        return of(where).trial(where, key);
      }
    };
  }

  /** Trials of every way. */
  public TrialPort trials() {
    TrialPort ssh = new SshTrials(connections);
    TrialPort assertions = new AssertionTrials(clock);
    return attempt ->
        attempt.way() == TrialPort.Way.ASSERTION
            ? assertions.attempt(attempt)
            : ssh.attempt(attempt);
  }

  /** Health of systems that a sheet describes. */
  public HealthPort health() {
    return new SheetHealth(steps, clock);
  }

  /** How accounts sign in, where a system tells. */
  public SheetStates states() {
    return new SheetStates(steps);
  }

  private SystemConnector jar(OnSystem system) throws PortException {
    String name = system.connection().sheet().connector().orElse("");
    SystemConnector connector = jars.get(name);
    if (connector == null) {
      throw new PortException(
          Kind.NOT_ALLOWED,
          "There is no connector “" + name + "” for " + system.connection().name() + ".",
          "Put its jar into the directory of connectors and start the service again.");
    }
    return connector;
  }

  @Override
  public void close() {
    repositories.close();
    directories.close();
  }
}
