package tolvin.service.trial;

import static tolvin.service.store.Transactions.inNewTransaction;

import jakarta.enterprise.context.ApplicationScoped;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import tolvin.connectors.sheet.SheetStates;
import tolvin.core.diagnosis.AssertionCircumstances;
import tolvin.core.diagnosis.Circumstances;
import tolvin.core.diagnosis.Diagnosis;
import tolvin.core.estate.Registered;
import tolvin.core.port.AccountPort;
import tolvin.core.port.Place.OnSystem;
import tolvin.core.port.PortException;
import tolvin.core.port.TrialPort;
import tolvin.core.sheet.SystemSheet.AccountKind;
import tolvin.core.signin.Assertion;
import tolvin.service.destination.Access;
import tolvin.service.record.account.AccountRow;
import tolvin.service.record.key.KeyRow;
import tolvin.service.store.ClockStore;

/** Finds out what is behind the sentence with which a system refuses an assertion. */
@ApplicationScoped
class Assertions {
  private final Access access;
  private final AccountPort accounts;
  private final SheetStates states;
  private final ClockStore clock;

  Assertions(Access access, AccountPort accounts, SheetStates states, ClockStore clock) {
    this.access = access;
    this.accounts = accounts;
    this.states = states;
    this.clock = clock;
  }

  /** An assertion that was refused, and the answer. */
  record Refused(Assertion said, TrialPort.Trial answer) {}

  Diagnosis explain(AccountRow account, KeyRow key, Refused refused, Circumstances.Books books) {
    OnSystem where = (OnSystem) inNewTransaction(() -> access.account(account));
    AccountKind kind = inNewTransaction(() -> access.kind(account)).orElseThrow();
    Optional<List<Registered>> registered = Optional.empty();
    String unreadable = "";
    try {
      registered = Optional.of(accounts.read(where));
    } catch (PortException e) {
      unreadable = e.getMessage();
    }
    Map<String, String> state;
    try {
      state = states.read(where);
    } catch (PortException untold) {
      state = Map.of(); // what is registered says why it cannot be asked
    }
    return Diagnosis.of(
        new AssertionCircumstances(
            where.name(),
            Access.key(key.blob),
            refused.said(),
            refused.answer().answer(),
            kind.trial().map(t -> t.unhelpful()).orElse(""),
            refused.answer().clockAhead(),
            registered,
            unreadable,
            state,
            kind.ability(),
            onlyThere(books, where.connection().name()),
            inNewTransaction(clock::now)));
  }

  /** A key that stands on another destination is not on the wrong account of this one. */
  private static Circumstances.Books onlyThere(Circumstances.Books books, String destination) {
    return new Circumstances.Books(
        books.placedAt(),
        books.propagation(),
        books.signInMode(),
        books.otherAccounts().stream().filter(a -> a.endsWith("@" + destination)).toList(),
        books.names());
  }
}
