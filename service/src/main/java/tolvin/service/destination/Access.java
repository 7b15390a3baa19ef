package tolvin.service.destination;

import jakarta.enterprise.context.ApplicationScoped;
import jakarta.transaction.Transactional;
import java.util.List;
import tolvin.core.key.PublicBlob;
import tolvin.core.key.PublicKey;
import tolvin.core.key.RefusedException;
import tolvin.core.pair.SecretPair;
import tolvin.core.port.AccountPort;
import tolvin.core.port.Login;
import tolvin.core.port.SeatPort;
import tolvin.core.port.Server;
import tolvin.service.coffer.Coffer;

/** Turns rows into what the connectors need to get in. */
@ApplicationScoped
public class Access {
  private static final String LOGIN = "{login}";

  private final DestinationStore destinations;
  private final Coffer coffer;

  Access(DestinationStore destinations, Coffer coffer) {
    this.destinations = destinations;
    this.coffer = coffer;
  }

  /** The pinned host keys. */
  @Transactional
  public List<PublicKey> hostKeys(DestinationRow destination) {
    return destinations.hostKeys(destination.id).stream().map(row -> key(row.blob)).toList();
  }

  /** The server with its pinned host keys. */
  @Transactional
  public Server server(DestinationRow destination) {
    return new Server(destination.name, destination.host, destination.port, hostKeys(destination));
  }

  /** Tolvin's own login, the management login or the given one. */
  @Transactional
  public Login login(DestinationRow destination, String user) {
    SecretPair pair =
        coffer
            .take(Coffer.CONNECTION, destination.id, key(destination.connectionKey))
            .orElseThrow(() -> new IllegalStateException("no connection pair in the coffer"));
    return new Login(server(destination), user, pair);
  }

  /** Where an account's keys are kept. */
  @Transactional
  public AccountPort.Place account(AccountRow account) {
    DestinationRow destination = destinations.get(account.destinationId);
    String user = destination.managementLogin == null ? account.login : destination.managementLogin;
    return new AccountPort.Place(
        login(destination, user), destination.keysPath.replace(LOGIN, account.login));
  }

  /** Where a seat is. */
  @Transactional
  public SeatPort.Place seat(java.util.UUID destination, String user, String path) {
    return new SeatPort.Place(login(destinations.get(destination), user), path);
  }

  /** A key that was stored by Tolvin itself. */
  public static PublicKey key(byte[] blob) {
    try {
      return PublicBlob.read(blob);
    } catch (RefusedException e) {
      throw new IllegalStateException("a stored key cannot be read", e);
    }
  }
}
