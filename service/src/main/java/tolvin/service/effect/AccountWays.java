package tolvin.service.effect;

import static tolvin.service.store.Transactions.inNewTransaction;

import jakarta.enterprise.context.ApplicationScoped;
import java.time.Instant;
import java.util.List;
import java.util.Optional;
import java.util.UUID;
import tolvin.connectors.sheet.SheetStates;
import tolvin.core.estate.AccountId;
import tolvin.core.estate.Management;
import tolvin.core.estate.Registered;
import tolvin.core.estate.SignInMode;
import tolvin.core.port.AccountPort;
import tolvin.core.port.Lease;
import tolvin.core.port.Place;
import tolvin.core.port.PortException;
import tolvin.core.port.PortException.Kind;
import tolvin.core.word.Words;
import tolvin.service.destination.Access;
import tolvin.service.effect.Witnesses.Witness;
import tolvin.service.handover.ByHand;
import tolvin.service.record.account.AccountStore;

/** How accounts are reached: read, and changed in one of three ways. */
@ApplicationScoped
class AccountWays {
  private final AccountPort port;
  private final SheetStates states;
  private final Access access;
  private final ByHand byHand;
  private final AccountStore accounts;
  private final Witnesses witnesses;

  AccountWays(
      AccountPort port,
      SheetStates states,
      Access access,
      ByHand byHand,
      AccountStore accounts,
      Witnesses witnesses) {
    this.port = port;
    this.states = states;
    this.access = access;
    this.byHand = byHand;
    this.accounts = accounts;
    this.witnesses = witnesses;
  }

  /** How an account comes to hold a key, or not to hold it any more; returns what it holds then. */
  interface Way {
    List<Registered> place(AccountPort.Entry entry) throws PortException;

    List<Registered> withdraw(AccountPort.Entry entry) throws PortException;
  }

  /** Tolvin writes there itself; what worked before has to work afterwards. */
  private record Directly(
      AccountPort port, Place where, Lease lease, Witnesses witnesses, AccountId account)
      implements Way {
    @Override
    public List<Registered> place(AccountPort.Entry entry) throws PortException {
      Optional<Witness> witness = witnesses.before(account, entry.key().fingerprint(), where);
      List<Registered> after = port.place(where, entry, lease);
      Optional<String> refused = witness.flatMap(witnesses::refused);
      if (refused.isPresent()) {
        takeBack(entry, witness.get(), refused.get());
      }
      return after;
    }

    private void takeBack(AccountPort.Entry entry, Witness witness, String refused)
        throws PortException {
      String said = port.said(where);
      String sentence =
          witness.name()
              + " signed in to "
              + where.name()
              + " right before "
              + entry.key().fingerprint()
              + " was placed, and was refused twice afterwards ("
              + refused
              + (said.isEmpty() ? "" : "; the system said: " + said)
              + "). ";
      try {
        port.withdraw(where, entry, lease);
      } catch (PortException e) {
        throw new PortException(
            Kind.TAKEN_BACK,
            sentence + "The new key could not be taken off again: " + e.getMessage(),
            "Take it off by hand, now.",
            e);
      }
      boolean isWell = witnesses.refused(witness).isEmpty();
      throw new PortException(
          Kind.TAKEN_BACK,
          sentence
              + "The new key was taken off again at once; "
              + witness.name()
              + (isWell ? " signs in again." : " is still refused."),
          isWell
              ? "Find out what the system does with two keys, and place the new one then."
              : "Look at the account now: somebody is shut out.");
    }

    @Override
    public List<Registered> withdraw(AccountPort.Entry entry) throws PortException {
      return port.withdraw(where, entry, lease);
    }
  }

  /** Another source rewrites it: its keeper is asked, and what stands there is read. */
  private record ThroughSource(AccountPort port, Place where, ByHand byHand, UUID account)
      implements Way {
    @Override
    public List<Registered> place(AccountPort.Entry entry) throws PortException {
      return byHand.throughSource(account, entry.key().fingerprint(), true, port.read(where));
    }

    @Override
    public List<Registered> withdraw(AccountPort.Entry entry) throws PortException {
      return byHand.throughSource(account, entry.key().fingerprint(), false, port.read(where));
    }
  }

  /** Only a partner can change it: they are asked, and sign-ins tell whether they did. */
  private record ThroughPartner(ByHand byHand, UUID account, Instant begun) implements Way {
    @Override
    public List<Registered> place(AccountPort.Entry entry) throws PortException {
      return byHand.register(account, entry.key().fingerprint(), begun);
    }

    @Override
    public List<Registered> withdraw(AccountPort.Entry entry) throws PortException {
      return byHand.takeOut(account, entry.key().fingerprint(), begun);
    }
  }

  /** The way of one account. */
  Way way(AccountId account, Place where, Lease lease, Instant begun) {
    if (where instanceof Place.ByHand) {
      return new ThroughPartner(byHand, account.value(), begun);
    }
    return inNewTransaction(
            () -> accounts.get(account.value()).managedBy == Management.ANOTHER_SOURCE)
        ? new ThroughSource(port, where, byHand, account.value())
        : new Directly(port, where, lease, witnesses, account);
  }

  /** Where an account's keys are kept. */
  Place where(AccountId account) {
    return inNewTransaction(() -> access.account(accounts.get(account.value())));
  }

  /**
   * What was read of an account.
   *
   * @param mode how it signs in; empty where that was not told
   */
  record Found(List<Registered> registered, Optional<SignInMode> mode) {}

  /** Reads an account; of one that only its own administrator reaches, what they said. */
  Found read(AccountId account) throws PortException {
    Place where = where(account);
    if (where instanceof Place.ByHand) {
      return new Found(byHand.known(account.value()), Optional.empty());
    }
    List<Registered> found = port.read(where);
    Optional<SignInMode> mode =
        where instanceof Place.OnSystem system
            ? Optional.ofNullable(states.read(system).get("sign-in-mode"))
                .flatMap(word -> Words.read(SignInMode.class, word))
            : Optional.empty();
    return new Found(found, mode);
  }

  /** What the system said to the last change of an account, in its own words. */
  String said(Place where) {
    return port.said(where);
  }
}
