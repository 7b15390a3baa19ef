package tolvin.service.trial;

import static tolvin.service.store.Transactions.inNewTransaction;

import jakarta.enterprise.context.ApplicationScoped;
import tolvin.connectors.AccountSides;
import tolvin.core.diagnosis.AssertionCircumstances;
import tolvin.core.diagnosis.Circumstances;
import tolvin.core.diagnosis.Diagnosis;
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
  private final AccountSides sides;
  private final ClockStore clock;

  Assertions(Access access, AccountSides sides, ClockStore clock) {
    this.access = access;
    this.sides = sides;
    this.clock = clock;
  }

  /** An assertion that was refused, and the answer. */
  record Refused(Assertion said, TrialPort.Trial answer) {}

  Diagnosis explain(AccountRow account, KeyRow key, Refused refused, Circumstances.Books books) {
    AccountKind kind = inNewTransaction(() -> access.kind(account)).orElseThrow();
    return Diagnosis.of(
        new AssertionCircumstances(
            sides.look(inNewTransaction(() -> access.account(account))),
            Access.key(key.blob),
            refused.said(),
            refused.answer().answer(),
            kind.trial().map(t -> t.unhelpful()).orElse(""),
            refused.answer().clockAhead(),
            books,
            inNewTransaction(clock::now)));
  }
}
