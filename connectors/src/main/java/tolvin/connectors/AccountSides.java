package tolvin.connectors;

import java.util.List;
import java.util.Map;
import java.util.Optional;
import tolvin.connectors.sheet.SheetStates;
import tolvin.core.diagnosis.AccountSide;
import tolvin.core.diagnosis.AccountSide.Unread;
import tolvin.core.estate.Registered;
import tolvin.core.port.AccountPort;
import tolvin.core.port.Place;
import tolvin.core.port.Place.OnSystem;
import tolvin.core.port.PortException;
import tolvin.core.port.PortException.Kind;
import tolvin.core.sheet.Ability;
import tolvin.core.sheet.SystemSheet.AccountKind;

/** Asks the system that keeps an account's keys what it says of the account. */
public final class AccountSides {
  private final AccountPort accounts;
  private final SheetStates states;

  /** Asks through these. */
  public AccountSides(AccountPort accounts, SheetStates states) {
    this.accounts = accounts;
    this.states = states;
  }

  /** What it says now. */
  public AccountSide look(Place account) {
    Optional<List<Registered>> registered = Optional.empty();
    Optional<Unread> unread = Optional.empty();
    try {
      registered = Optional.of(accounts.read(account));
    } catch (PortException e) {
      unread = Optional.of(new Unread(e.kind() == Kind.NO_ACCOUNT, e.getMessage()));
    }
    return new AccountSide(account.name(), registered, unread, state(account), ability(account));
  }

  private Map<String, String> state(Place account) {
    try {
      return account instanceof OnSystem system ? states.read(system) : Map.of();
    } catch (PortException untold) {
      return Map.of(); // that it cannot be asked is said of what is registered
    }
  }

  private static Optional<Ability> ability(Place account) {
    return account instanceof OnSystem system
        ? Optional.ofNullable(system.connection().sheet().accounts().get(system.kind()))
            .map(AccountKind::ability)
        : Optional.empty();
  }
}
