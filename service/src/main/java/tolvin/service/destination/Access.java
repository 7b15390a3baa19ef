package tolvin.service.destination;

import jakarta.enterprise.context.ApplicationScoped;
import jakarta.transaction.Transactional;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.UUID;
import tolvin.connectors.sheet.SheetTrials;
import tolvin.core.estate.Family;
import tolvin.core.key.PublicBlob;
import tolvin.core.key.PublicKey;
import tolvin.core.key.RefusedException;
import tolvin.core.pair.SecretPair;
import tolvin.core.pair.Signer;
import tolvin.core.port.Connection;
import tolvin.core.port.DirectoryServer;
import tolvin.core.port.KeyRepository;
import tolvin.core.port.Login;
import tolvin.core.port.Place;
import tolvin.core.port.Place.ByHand;
import tolvin.core.port.Place.InDirectory;
import tolvin.core.port.Place.InRepository;
import tolvin.core.port.Place.OnSystem;
import tolvin.core.port.Place.OverSsh;
import tolvin.core.port.PortException;
import tolvin.core.port.Server;
import tolvin.core.port.TrialPort;
import tolvin.core.port.TrialPort.Attempt;
import tolvin.core.sheet.SystemSheet.AccountKind;
import tolvin.service.coffer.Coffer;
import tolvin.service.record.account.AccountRow;
import tolvin.service.record.destination.DestinationRow;
import tolvin.service.record.destination.DestinationStore;
import tolvin.service.sheet.Sheets;

/** Turns rows into what the connectors need to get in. */
@ApplicationScoped
public class Access {
  private static final String LOGIN = "{login}";

  private final DestinationStore destinations;
  private final Sheets sheets;
  private final Coffer coffer;

  Access(DestinationStore destinations, Sheets sheets, Coffer coffer) {
    this.destinations = destinations;
    this.sheets = sheets;
    this.coffer = coffer;
  }

  /** The host keys that are accepted now. */
  @Transactional
  public List<PublicKey> hostKeys(DestinationRow destination) {
    return destinations.hostKeys(destination.id).stream().map(row -> key(row.blob)).toList();
  }

  /** How a destination that a sheet describes is reached. */
  @Transactional
  public Connection connection(DestinationRow destination) {
    return connection(
        destination, coffer.takeText(Coffer.CONNECTION_SECRET, destination.id).orElse(""));
  }

  private Connection connection(DestinationRow destination, String secret) {
    return new Connection(
        destination.name,
        sheets.of(destination.sheetId),
        destination.address,
        destination.settings,
        destination.connectUser,
        secret);
  }

  /** An account as its sheet describes it; whoever signs in there needs no secret of Tolvin's. */
  private OnSystem described(AccountRow account, DestinationRow at) {
    return new OnSystem(connection(at, ""), account.kind, account.login, "");
  }

  /** The kind of an account, as the sheet describes it; empty on SSH servers. */
  @Transactional
  public Optional<AccountKind> kind(AccountRow account) {
    DestinationRow at = destinations.get(account.destinationId);
    return at.hasSheet()
        ? Optional.ofNullable(sheets.of(at.sheetId).accounts().get(account.kind))
        : Optional.empty();
  }

  /**
   * How somebody signs in to an account with a key.
   *
   * @param reference the destination's own reference of the placement; may be empty
   * @throws PortException if nobody can
   */
  @Transactional
  public Attempt attempt(AccountRow account, String reference, Signer signer) throws PortException {
    DestinationRow at = destinations.get(account.destinationId);
    return at.hasSheet()
        ? SheetTrials.attempt(described(account, at), reference, signer, hostKeys(at))
        : new Attempt(
            TrialPort.Way.SSH,
            new Login(server(signInAt(at)), account.login, signer),
            "",
            coffer.takeText(Coffer.ACCOUNT_PASSWORD, account.id).map(String::toCharArray));
  }

  /**
   * Where the accounts of a destination sign in over SSH: there, or at the server that takes its
   * keys from there.
   *
   * @throws PortException if nobody said where
   */
  @Transactional
  public DestinationRow signInAt(DestinationRow at) throws PortException {
    if (at.signsInAtId != null) {
      return destinations.get(at.signsInAtId);
    }
    if (at.host.isEmpty() || at.family == Family.KEY_REPOSITORY || at.family == Family.DIRECTORY) {
      throw new PortException(
          PortException.Kind.NOT_ALLOWED,
          "Nobody said where the accounts of " + at.name + " sign in, so no key can be tried.",
          "Attach that server and say so: tolvin destination change "
              + at.name
              + " --signs-in-at NAME");
    }
    return at;
  }

  /** The jump host that a destination is reached through; empty if it is reached directly. */
  @Transactional
  public Optional<Login> route(DestinationRow destination) {
    return destination.routeId == null
        ? Optional.empty()
        : Optional.of(login(destinations.get(destination.routeId), destination.routeLogin));
  }

  /** The directory that a destination is. */
  @Transactional
  public DirectoryServer directory(DestinationRow at) {
    return new DirectoryServer(
        at.name,
        at.host,
        at.port,
        DirectoryServer.Security.valueOf(at.settings.get(OwnFamilies.SECURITY)),
        at.settings.get(OwnFamilies.TRUSTED),
        at.connectUser,
        coffer.takeText(Coffer.CONNECTION_SECRET, at.id).orElse(""),
        at.settings.get(OwnFamilies.BASE),
        at.settings.get(OwnFamilies.FILTER),
        at.settings.get(OwnFamilies.ATTRIBUTE),
        at.settings.getOrDefault(OwnFamilies.OBJECT_CLASS, ""));
  }

  private KeyRepository repository(DestinationRow at) {
    Login login = login(at, at.connectUser);
    return new KeyRepository(
        login,
        at.settings.get(OwnFamilies.PATH),
        at.settings.get(OwnFamilies.BRANCH),
        at.settings.get(OwnFamilies.FILES),
        at.settings.get(OwnFamilies.AUTHOR),
        at.settings.get(OwnFamilies.SIGNED).equals("yes")
            ? Optional.of(login.signer())
            : Optional.empty());
  }

  /** The server with its pinned host keys. */
  @Transactional
  public Server server(DestinationRow destination) {
    return new Server(
        destination.name,
        destination.host,
        destination.port,
        hostKeys(destination),
        route(destination));
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

  /**
   * As whom somebody signs in to an account over SSH, which need not be what the account is called;
   * empty if nobody does.
   *
   * @param reference the destination's own reference of the placement; may be empty
   */
  @Transactional
  public Optional<String> sshLogin(AccountRow account, String reference) {
    DestinationRow at = destinations.get(account.destinationId);
    if (!at.hasSheet()) {
      return Optional.of(account.login);
    }
    try {
      return SheetTrials.sshLogin(described(account, at), reference);
    } catch (PortException unknownKind) {
      return Optional.empty();
    }
  }

  /**
   * Where the keys of some accounts of one destination are kept, by the accounts' ids; a management
   * login is taken out of the coffer once for all of them.
   */
  @Transactional
  public Map<UUID, Place> accounts(DestinationRow at, List<AccountRow> rows) {
    boolean oneLogin = at.hasFiles() && at.managementLogin != null && !rows.isEmpty();
    Login keeper = oneLogin ? login(at, at.managementLogin) : null;
    Map<UUID, Place> places = new HashMap<>();
    for (AccountRow row : rows) {
      places.put(
          row.id,
          oneLogin ? new OverSsh(keeper, at.keysPath.replace(LOGIN, row.login)) : account(row));
    }
    return places;
  }

  /** Where an account's keys are kept. */
  @Transactional
  public Place account(AccountRow account) {
    DestinationRow destination = destinations.get(account.destinationId);
    if (destination.hasSheet()) {
      return new OnSystem(connection(destination), account.kind, account.login, "");
    }
    switch (destination.family) {
      case KEY_REPOSITORY:
        return new InRepository(repository(destination), account.login);
      case DIRECTORY:
        return new InDirectory(directory(destination), account.login);
      case PARTNER:
        return new ByHand(destination.name, account.login);
      default:
    }
    String user = destination.managementLogin == null ? account.login : destination.managementLogin;
    return new OverSsh(
        login(destination, user), destination.keysPath.replace(LOGIN, account.login));
  }

  /**
   * Where a seat is.
   *
   * @param login the login that it is supplied through, or the job that signs in with it
   * @param path the file, or the credential's name
   */
  @Transactional
  public Place seat(UUID destination, String kind, String login, String path) {
    DestinationRow at = destinations.get(destination);
    return at.hasSheet()
        ? new OnSystem(connection(at), kind, path, login)
        : new OverSsh(login(at, login), path);
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
