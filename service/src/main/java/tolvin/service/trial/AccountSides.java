package tolvin.service.trial;

import static tolvin.service.store.Transactions.inNewTransaction;

import jakarta.enterprise.context.ApplicationScoped;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import tolvin.connectors.sheet.SheetStates;
import tolvin.core.diagnosis.AccountSide;
import tolvin.core.diagnosis.AccountSide.Unread;
import tolvin.core.diagnosis.Circumstances.KeysFile;
import tolvin.core.estate.Registered;
import tolvin.core.port.AccountPort;
import tolvin.core.port.Place;
import tolvin.core.port.Place.OnSystem;
import tolvin.core.port.PortException;
import tolvin.core.port.PortException.Kind;
import tolvin.core.sheet.SystemSheet.AccountKind;
import tolvin.service.destination.Access;
import tolvin.service.record.account.AccountRow;

/** Asks the system that keeps an account's keys what it says of the account. */
@ApplicationScoped
class AccountSides {
  private final Access access;
  private final AccountPort accounts;
  private final SheetStates states;

  AccountSides(Access access, AccountPort accounts, SheetStates states) {
    this.access = access;
    this.accounts = accounts;
    this.states = states;
  }

  /** What it says now. */
  AccountSide look(AccountRow account) {
    Place where = inNewTransaction(() -> access.account(account));
    Optional<List<Registered>> registered = Optional.empty();
    Optional<Unread> unread = Optional.empty();
    try {
      registered = Optional.of(accounts.read(where));
    } catch (PortException e) {
      unread = Optional.of(new Unread(e.kind() == Kind.NO_ACCOUNT, e.getMessage()));
    }
    return new AccountSide(
        where.name(),
        registered,
        unread,
        state(where),
        inNewTransaction(() -> access.kind(account)).map(AccountKind::ability));
  }

  private Map<String, String> state(Place where) {
    try {
      return where instanceof OnSystem system ? states.read(system) : Map.of();
    } catch (PortException untold) {
      return Map.of(); // that it cannot be asked is said of what is registered
    }
  }

  /** The lines of its keys, where it keeps lines. */
  Optional<KeysFile> lines(TrialRecord.Scene scene) {
    Place where = inNewTransaction(() -> access.account(scene.account()));
    try {
      return inNewTransaction(() -> access.family(scene.at())).keysFile(where);
    } catch (PortException unread) {
      return Optional.empty(); // why is said of what is registered
    }
  }
}
