package tolvin.connectors;

import java.time.Clock;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import tolvin.connectors.http.AssertionTrials;
import tolvin.connectors.sheet.SheetSeats;
import tolvin.connectors.sheet.SheetStates;
import tolvin.connectors.sheet.Steps;
import tolvin.connectors.ssh.FileSurveys;
import tolvin.connectors.ssh.SeatFiles;
import tolvin.connectors.ssh.SignInModes;
import tolvin.connectors.ssh.SshConnections;
import tolvin.connectors.ssh.SshTrials;
import tolvin.core.estate.Registered;
import tolvin.core.key.Fingerprint;
import tolvin.core.key.PublicKey;
import tolvin.core.port.AccountPort;
import tolvin.core.port.DestinationFamily;
import tolvin.core.port.Lease;
import tolvin.core.port.Moment;
import tolvin.core.port.Place;
import tolvin.core.port.Place.OnSystem;
import tolvin.core.port.PortException;
import tolvin.core.port.SeatPort;
import tolvin.core.port.SurveyPort;
import tolvin.core.port.TrialPort;

/** Sends each action to the connector that reaches its place. */
public final class Routing implements AutoCloseable {
  private final SshConnections connections;
  private final Clock clock;
  private final Steps steps;
  private final Families families;

  /**
   * Over these connections.
   *
   * @param jars families of their own, by their names
   * @throws IllegalArgumentException if two of them are attached as the same family
   */
  public Routing(SshConnections connections, Clock clock, Map<String, DestinationFamily> jars) {
    this.connections = connections;
    this.clock = clock;
    this.steps = new Steps(clock, connections.egress());
    this.families = new Families(connections, clock, steps, jars);
  }

  /** Accounts of every family. */
  public AccountPort accounts() {
    return new AccountPort() {
      private AccountPort of(Place where) {
        return families.of(where).accounts();
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
        return of(where).said(where);
      }
    };
  }

  /** All that can be seen of accounts. */
  public SurveyPort surveys() {
    return new Surveys(families, new FileSurveys(connections), new SignInModes(connections), clock);
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
    TrialPort assertions = new AssertionTrials(clock, connections.egress());
    return attempt ->
        attempt.way() == TrialPort.Way.ASSERTION
            ? assertions.attempt(attempt)
            : ssh.attempt(attempt);
  }

  /** The families that are known. */
  public Families families() {
    return families;
  }

  /** How accounts sign in, where a system tells. */
  public SheetStates states() {
    return new SheetStates(steps);
  }

  @Override
  public void close() {
    families.close();
  }
}
