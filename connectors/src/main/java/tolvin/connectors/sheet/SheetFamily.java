package tolvin.connectors.sheet;

import java.time.Clock;
import java.time.Instant;
import java.util.Optional;
import tolvin.core.pair.Signer;
import tolvin.core.port.AccountPort;
import tolvin.core.port.Attached;
import tolvin.core.port.Connection;
import tolvin.core.port.DestinationFamily;
import tolvin.core.port.HealthPort.Health;
import tolvin.core.port.Place;
import tolvin.core.port.Place.OnSystem;
import tolvin.core.port.PortException;
import tolvin.core.port.TrialPort.Attempt;
import tolvin.core.sweep.Seen;

/** Systems that a sheet describes, of any family; a sheet may leave its accounts to a connector. */
public final class SheetFamily implements DestinationFamily {
  private final AccountPort accounts;
  private final SheetHealth health;
  private final Optional<DestinationFamily> connector;

  /** Talks to systems so; times are told by this clock. */
  public SheetFamily(Steps steps, Clock clock) {
    this(new SheetAccounts(steps), new SheetHealth(steps, clock), Optional.empty());
  }

  private SheetFamily(
      AccountPort accounts, SheetHealth health, Optional<DestinationFamily> connector) {
    this.accounts = accounts;
    this.health = health;
    this.connector = connector;
  }

  /** Likewise, with accounts that a connector reads and changes. */
  public SheetFamily with(DestinationFamily theConnector) {
    return new SheetFamily(theConnector.accounts(), health, Optional.of(theConnector));
  }

  @Override
  public String name() {
    return "sheet";
  }

  @Override
  public Place account(Attached at, String kind, String login) {
    return new OnSystem(connection(at, at.secret()), kind, login, "");
  }

  /**
   * How a destination is reached.
   *
   * @param secret with what; empty where none of Tolvin's is needed
   */
  public static Connection connection(Attached at, String secret) {
    return new Connection(
        at.name(), at.sheet().orElseThrow(), at.address(), at.settings(), at.user(), secret);
  }

  /** An account as its sheet describes it; a sign-in there needs no secret of Tolvin's. */
  private static OnSystem described(Attached at, String kind, String login) {
    return new OnSystem(connection(at, ""), kind, login, "");
  }

  @Override
  public AccountPort accounts() {
    return accounts;
  }

  @Override
  public Optional<Attempt> attempt(
      Attached at, String kind, String login, String reference, Signer signer)
      throws PortException {
    return Optional.of(
        SheetTrials.attempt(described(at, kind, login), reference, signer, at.hostKeys()));
  }

  @Override
  public Optional<String> sshLogin(Attached at, String kind, String login, String reference) {
    try {
      return SheetTrials.sshLogin(described(at, kind, login), reference);
    } catch (PortException unknownKind) {
      return Optional.empty();
    }
  }

  @Override
  public Optional<Health> look(Attached at) throws PortException {
    if (connector.isPresent()) {
      return connector.get().look(at);
    }
    Connection connection = connection(at, at.secret());
    return connection.sheet().health().isPresent()
        ? Optional.of(health.look(connection))
        : Optional.empty();
  }

  @Override
  public Seen survey(Place where, Instant now) throws PortException {
    return connector.isPresent()
        ? connector.get().survey(where, now)
        : Seen.entries(now, accounts.read(where));
  }
}
