package tolvin.service.destination;

import static tolvin.service.store.Transactions.inTransaction;

import jakarta.enterprise.context.ApplicationScoped;
import jakarta.transaction.Transactional;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.UUID;
import tolvin.connectors.Families;
import tolvin.connectors.sheet.SheetFamily;
import tolvin.core.key.PublicBlob;
import tolvin.core.key.PublicKey;
import tolvin.core.key.RefusedException;
import tolvin.core.pair.SecretPair;
import tolvin.core.pair.Signer;
import tolvin.core.port.Attached;
import tolvin.core.port.DestinationFamily;
import tolvin.core.port.FamilyForm;
import tolvin.core.port.Login;
import tolvin.core.port.Place;
import tolvin.core.port.Place.OnSystem;
import tolvin.core.port.Place.OverSsh;
import tolvin.core.port.PortException;
import tolvin.core.port.Server;
import tolvin.core.port.TrialPort;
import tolvin.core.port.TrialPort.Attempt;
import tolvin.core.sheet.SystemSheet;
import tolvin.core.sheet.SystemSheet.AccountKind;
import tolvin.service.coffer.Coffer;
import tolvin.service.record.account.AccountRow;
import tolvin.service.record.destination.DestinationRow;
import tolvin.service.record.destination.DestinationStore;
import tolvin.service.sheet.Sheets;

/** Turns rows into what the connectors need to get in. */
@ApplicationScoped
public class Access {
  private final DestinationStore destinations;
  private final Sheets sheets;
  private final Families families;
  private final Coffer coffer;

  Access(DestinationStore destinations, Sheets sheets, Families families, Coffer coffer) {
    this.destinations = destinations;
    this.sheets = sheets;
    this.families = families;
    this.coffer = coffer;
  }

  /** The host keys that are accepted now. */
  @Transactional
  public List<PublicKey> hostKeys(DestinationRow destination) {
    return destinations.hostKeys(destination.id).stream().map(row -> key(row.blob)).toList();
  }

  /** The kind of an account, as the sheet describes it; empty on SSH servers. */
  @Transactional
  public Optional<AccountKind> kind(AccountRow account) {
    DestinationRow at = destinations.get(account.destinationId);
    return at.hasSheet()
        ? Optional.ofNullable(sheets.of(at.sheetId).accounts().get(account.kind))
        : Optional.empty();
  }

  /** A destination as its family sees it. */
  @Transactional
  public Attached attached(DestinationRow row) {
    return new Known(row);
  }

  /** Takes out of the coffer only what its family asks for, and that once. */
  private final class Known extends AttachedRow {
    private final Map<String, Login> logins = new HashMap<>();
    private String secret;

    Known(DestinationRow row) {
      super(row);
    }

    @Override
    public Optional<SystemSheet> sheet() {
      return sheets.ofDestination(row);
    }

    @Override
    public String secret() {
      if (secret == null) {
        secret = inTransaction(() -> coffer.takeText(Coffer.CONNECTION_SECRET, row.id).orElse(""));
      }
      return secret;
    }

    @Override
    public List<PublicKey> hostKeys() {
      return inTransaction(() -> Access.this.hostKeys(row));
    }

    @Override
    public Login login(String user) {
      return logins.computeIfAbsent(
          user, name -> inTransaction(() -> Access.this.login(row, name)));
    }
  }

  /** The family of a destination. */
  @Transactional
  public DestinationFamily family(DestinationRow at) {
    return families.of(at.family, sheets.ofDestination(at));
  }

  /** What is asked when a destination of its family is attached; empty if a sheet says that. */
  private Optional<FamilyForm> form(DestinationRow at) {
    return at.hasSheet()
        ? Optional.empty()
        : families.withoutSheet(at.family).flatMap(DestinationFamily::form);
  }

  /** Whether the destination itself is an SSH server whose host keys are compared and watched. */
  public boolean speaksSsh(DestinationRow at) {
    return !at.host.isEmpty() && form(at).map(FamilyForm::speaksSsh).orElse(true);
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
    Optional<Attempt> own =
        family(at).attempt(attached(at), account.kind, account.login, reference, signer);
    return own.isPresent()
        ? own.get()
        : new Attempt(
                TrialPort.Way.SSH,
                new Login(
                    server(signInAt(at)),
                    sshLogin(account, reference).orElse(account.login),
                    signer),
                "",
                coffer.takeText(Coffer.ACCOUNT_PASSWORD, account.id).map(String::toCharArray))
            .asking(family(at).who(attached(at), account.kind, account.login));
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
    if (at.host.isEmpty() || form(at).map(FamilyForm::signsInElsewhere).orElse(false)) {
      throw new PortException(
          PortException.Kind.NOT_ALLOWED,
          "It is not on record where the accounts of "
              + at.name
              + " sign in, so no key can be tried.",
          "Attach that server and record it: tolvin destination change "
              + at.name
              + " --signs-in-at NAME");
    }
    return at;
  }

  /** The same, where it is no mistake that nobody said so. */
  @Transactional
  public Optional<DestinationRow> signsInAt(DestinationRow at) {
    try {
      return Optional.of(signInAt(at));
    } catch (PortException notOnRecord) {
      return Optional.empty();
    }
  }

  /** The jump host that a destination is reached through; empty if it is reached directly. */
  @Transactional
  public Optional<Login> route(DestinationRow destination) {
    return destination.routeId == null
        ? Optional.empty()
        : Optional.of(login(destinations.get(destination.routeId), destination.routeLogin));
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
    return family(at).sshLogin(attached(at), account.kind, account.login, reference);
  }

  /** The login that all accounts of a destination sign in with; empty if each has its own. */
  @Transactional
  public Optional<String> sharedLogin(DestinationRow at) {
    return family(at).sharedLogin(attached(at));
  }

  /**
   * Where the keys of some accounts of one destination are kept, by the accounts' ids; what Tolvin
   * gets in with is taken out of the coffer once for all of them.
   */
  @Transactional
  public Map<UUID, Place> accounts(DestinationRow at, List<AccountRow> rows) {
    DestinationFamily family = family(at);
    Attached once = attached(at);
    Map<UUID, Place> places = new HashMap<>();
    for (AccountRow row : rows) {
      places.put(row.id, family.account(once, row.kind, row.login));
    }
    return places;
  }

  /** Where an account's keys are kept. */
  @Transactional
  public Place account(AccountRow account) {
    DestinationRow at = destinations.get(account.destinationId);
    return family(at).account(attached(at), account.kind, account.login);
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
    Attached attached = attached(at);
    return at.hasSheet()
        ? new OnSystem(SheetFamily.connection(attached, attached.secret()), kind, path, login)
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
