package tolvin.core.rotation;

import java.util.Optional;
import tolvin.core.estate.AccountId;
import tolvin.core.estate.SeatId;
import tolvin.core.estate.Snapshot;
import tolvin.core.estate.TieId;
import tolvin.core.key.Fingerprint;

/** One thing that a rotation does. Every effect can be repeated safely and is read back. */
public sealed interface Effect {

  /** Which effect it is. */
  EffectId id();

  /** What it does, for a person. */
  String sentence(Snapshot snapshot);

  /** Whether it changes something outside of Tolvin. */
  default boolean changes() {
    return true;
  }

  /** The account that it touches. */
  default Optional<AccountId> touchesAccount() {
    return Optional.empty();
  }

  /** The seat that it touches. */
  default Optional<SeatId> touchesSeat() {
    return Optional.empty();
  }

  /** Make the new pair and commit its private key to the coffer. */
  record Generate() implements Effect {
    @Override
    public EffectId id() {
      return EffectId.of(EffectKind.GENERATE);
    }

    @Override
    public String sentence(Snapshot snapshot) {
      return "Make a new pair in the coffer";
    }

    @Override
    public boolean changes() {
      return false;
    }
  }

  /** Read what is registered on an account. */
  record LookAtAccount(AccountId account) implements OnAccount {
    @Override
    public EffectId id() {
      return EffectId.at(EffectKind.LOOK, account.value());
    }

    @Override
    public String sentence(Snapshot snapshot) {
      return "Read what is registered on " + snapshot.accounts().get(account).name();
    }

    @Override
    public boolean changes() {
      return false;
    }
  }

  /** Read what a seat offers and keeps. */
  record LookAtSeat(SeatId seat) implements OnSeat {
    @Override
    public EffectId id() {
      return EffectId.at(EffectKind.LOOK, seat.value());
    }

    @Override
    public String sentence(Snapshot snapshot) {
      return "Read what " + snapshot.seats().get(seat).name() + " holds";
    }

    @Override
    public boolean changes() {
      return false;
    }
  }

  /** Register a key on an account, beside what is there. */
  record Place(AccountId account, Fingerprint key) implements OnAccount {
    @Override
    public EffectId id() {
      return EffectId.at(EffectKind.PLACE, account.value(), key);
    }

    @Override
    public String sentence(Snapshot snapshot) {
      return "Place " + key.brief() + " on " + snapshot.accounts().get(account).name();
    }
  }

  /** Sign in to an account as Tolvin, with a key from the coffer. */
  record Prove(AccountId account, Fingerprint key) implements OnAccount {
    @Override
    public EffectId id() {
      return EffectId.at(EffectKind.PROVE, account.value(), key);
    }

    @Override
    public String sentence(Snapshot snapshot) {
      return "Sign in to " + snapshot.accounts().get(account).name() + " with " + key.brief();
    }

    @Override
    public boolean changes() {
      return false;
    }
  }

  /** Have a seat sign in by itself with the key that it offers. */
  record ProveSeat(SeatId seat, TieId tie, Fingerprint key) implements OnSeat {
    @Override
    public EffectId id() {
      return EffectId.at(EffectKind.PROVE_SEAT, tie.value(), key);
    }

    @Override
    public String sentence(Snapshot snapshot) {
      return "Have " + snapshot.seats().get(seat).name() + " sign in with " + key.brief();
    }

    @Override
    public boolean changes() {
      return false;
    }
  }

  /** Make a seat offer a key; what it offered before is kept beside. */
  record Supply(SeatId seat, Fingerprint key) implements OnSeat {
    @Override
    public EffectId id() {
      return EffectId.at(EffectKind.SUPPLY, seat.value(), key);
    }

    @Override
    public String sentence(Snapshot snapshot) {
      return "Supply " + key.brief() + " to " + snapshot.seats().get(seat).name();
    }
  }

  /** Make what a seat offers take effect: reload or restart its client, or tell its agent. */
  record Reload(SeatId seat, Fingerprint key) implements OnSeat {
    @Override
    public EffectId id() {
      return EffectId.at(EffectKind.RELOAD, seat.value(), key);
    }

    @Override
    public String sentence(Snapshot snapshot) {
      return "Make " + key.brief() + " take effect in " + snapshot.seats().get(seat).name();
    }
  }

  /**
   * Take one entry off an account.
   *
   * @param line the entry exactly as it must stand there
   */
  record Withdraw(AccountId account, Fingerprint key, String line) implements OnAccount {
    @Override
    public EffectId id() {
      return EffectId.at(EffectKind.WITHDRAW, account.value(), key);
    }

    @Override
    public String sentence(Snapshot snapshot) {
      return "Withdraw " + key.brief() + " from " + snapshot.accounts().get(account).name();
    }
  }

  /** Remove the private key that a seat keeps beside what it offers. */
  record Clear(SeatId seat, Fingerprint key) implements OnSeat {
    @Override
    public EffectId id() {
      return EffectId.at(EffectKind.CLEAR, seat.value(), key);
    }

    @Override
    public String sentence(Snapshot snapshot) {
      return "Remove the private key of "
          + key.brief()
          + " from "
          + snapshot.seats().get(seat).name();
    }
  }

  /** Destroy a private key in the coffer. */
  record Destroy(Fingerprint key) implements Effect {
    @Override
    public EffectId id() {
      return EffectId.of(EffectKind.DESTROY, key);
    }

    @Override
    public String sentence(Snapshot snapshot) {
      return "Destroy the private key of " + key.brief() + " in the coffer";
    }

    @Override
    public boolean changes() {
      return false;
    }
  }

  /** An effect on one account. */
  sealed interface OnAccount extends Effect {
    /** Which. */
    AccountId account();

    @Override
    default Optional<AccountId> touchesAccount() {
      return Optional.of(account());
    }
  }

  /** An effect on one seat. */
  sealed interface OnSeat extends Effect {
    /** Which. */
    SeatId seat();

    @Override
    default Optional<SeatId> touchesSeat() {
      return Optional.of(seat());
    }
  }
}
