package tolvin.core.rotation;

import java.util.Optional;
import tolvin.core.estate.AccountId;
import tolvin.core.estate.Picture;
import tolvin.core.estate.SeatId;
import tolvin.core.estate.TieId;
import tolvin.core.key.Fingerprint;

/** One thing that a rotation does. Every effect can be repeated safely and is read back. */
public sealed interface Effect {

  /** A name that is the same for the same effect of the same rotation; stable. */
  String name();

  /** What it does, for a person. */
  String sentence(Picture picture);

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

  /** Make the new pair and commit its private half to the coffer. */
  record Make() implements Effect {
    @Override
    public String name() {
      return "make";
    }

    @Override
    public String sentence(Picture picture) {
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
    public String name() {
      return "look " + account;
    }

    @Override
    public String sentence(Picture picture) {
      return "Read what is registered on " + picture.accounts().get(account).name();
    }

    @Override
    public boolean changes() {
      return false;
    }
  }

  /** Read what a seat offers and keeps. */
  record LookAtSeat(SeatId seat) implements OnSeat {
    @Override
    public String name() {
      return "look " + seat;
    }

    @Override
    public String sentence(Picture picture) {
      return "Read what " + picture.seats().get(seat).name() + " holds";
    }

    @Override
    public boolean changes() {
      return false;
    }
  }

  /** Register a key on an account, beside what is there. */
  record Place(AccountId account, Fingerprint key) implements OnAccount {
    @Override
    public String name() {
      return "place " + account + " " + key;
    }

    @Override
    public String sentence(Picture picture) {
      return "Place " + key.brief() + " on " + picture.accounts().get(account).name();
    }
  }

  /** Sign in to an account as Tolvin, with a key from the coffer. */
  record Prove(AccountId account, Fingerprint key) implements OnAccount {
    @Override
    public String name() {
      return "prove " + account + " " + key;
    }

    @Override
    public String sentence(Picture picture) {
      return "Sign in to " + picture.accounts().get(account).name() + " with " + key.brief();
    }

    @Override
    public boolean changes() {
      return false;
    }
  }

  /** Have a seat sign in by itself with the key that it offers. */
  record TrySeat(SeatId seat, TieId tie, Fingerprint key) implements OnSeat {
    @Override
    public String name() {
      return "prove-seat " + tie + " " + key;
    }

    @Override
    public String sentence(Picture picture) {
      return "Have " + picture.seats().get(seat).name() + " sign in with " + key.brief();
    }

    @Override
    public boolean changes() {
      return false;
    }
  }

  /** Make a seat offer a key; what it offered before is kept beside. */
  record Supply(SeatId seat, Fingerprint key) implements OnSeat {
    @Override
    public String name() {
      return "supply " + seat + " " + key;
    }

    @Override
    public String sentence(Picture picture) {
      return "Supply " + key.brief() + " to " + picture.seats().get(seat).name();
    }
  }

  /** Make what a seat offers take effect: reload or restart its client, or tell its agent. */
  record TakeEffect(SeatId seat, Fingerprint key) implements OnSeat {
    @Override
    public String name() {
      return "effect " + seat + " " + key;
    }

    @Override
    public String sentence(Picture picture) {
      return "Make " + key.brief() + " take effect in " + picture.seats().get(seat).name();
    }
  }

  /**
   * Take one entry off an account.
   *
   * @param line the entry exactly as it must stand there
   */
  record Withdraw(AccountId account, Fingerprint key, String line) implements OnAccount {
    @Override
    public String name() {
      return "withdraw " + account + " " + key;
    }

    @Override
    public String sentence(Picture picture) {
      return "Withdraw " + key.brief() + " from " + picture.accounts().get(account).name();
    }
  }

  /** Remove the private half that a seat keeps beside what it offers. */
  record Clear(SeatId seat, Fingerprint key) implements OnSeat {
    @Override
    public String name() {
      return "clear " + seat + " " + key;
    }

    @Override
    public String sentence(Picture picture) {
      return "Remove the private half of "
          + key.brief()
          + " from "
          + picture.seats().get(seat).name();
    }
  }

  /** Destroy a private half in the coffer. */
  record Destroy(Fingerprint key) implements Effect {
    @Override
    public String name() {
      return "destroy " + key;
    }

    @Override
    public String sentence(Picture picture) {
      return "Destroy the private half of " + key.brief() + " in the coffer";
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
