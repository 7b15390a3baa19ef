package tolvin.connectors;

import java.util.List;
import java.util.Map;
import java.util.Optional;
import tolvin.connectors.shared.KeyLines;
import tolvin.connectors.sheet.SheetStates;
import tolvin.core.authorized.AuthorizedKeys;
import tolvin.core.diagnosis.AccountSide;
import tolvin.core.diagnosis.AccountSide.Unread;
import tolvin.core.diagnosis.Circumstances.KeysFile;
import tolvin.core.estate.Registered;
import tolvin.core.port.AccountPort;
import tolvin.core.port.DestinationFamily;
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

  /**
   * What was seen of an account.
   *
   * @param side what the system says of it
   * @param lines its keys as lines, where the system keeps lines
   */
  public record Looked(AccountSide side, Optional<KeysFile> lines) {}

  /** What it says now, and the lines, in one reading. */
  public Looked look(DestinationFamily family, Place account) {
    Optional<KeysFile> lines;
    try {
      lines = family.keysFile(account);
    } catch (PortException e) {
      return new Looked(unread(account, e), Optional.empty());
    }
    return new Looked(
        lines.isPresent() ? read(account, registered(lines.get())) : look(account), lines);
  }

  /** What it says now. */
  public AccountSide look(Place account) {
    try {
      return read(account, accounts.read(account));
    } catch (PortException e) {
      return unread(account, e);
    }
  }

  private AccountSide read(Place account, List<Registered> registered) {
    return side(account, Optional.of(registered), Optional.empty());
  }

  private AccountSide unread(Place account, PortException e) {
    return side(
        account,
        Optional.empty(),
        Optional.of(new Unread(e.kind() == Kind.NO_ACCOUNT, e.getMessage())));
  }

  private AccountSide side(
      Place account, Optional<List<Registered>> registered, Optional<Unread> unread) {
    return new AccountSide(account.name(), registered, unread, state(account), ability(account));
  }

  private static List<Registered> registered(KeysFile lines) {
    return KeyLines.registered(
        AuthorizedKeys.of(lines.content().orElse(new byte[0]), lines.server()));
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
