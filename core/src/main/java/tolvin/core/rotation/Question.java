package tolvin.core.rotation;

import java.util.Optional;
import java.util.UUID;
import tolvin.core.estate.AccountId;
import tolvin.core.estate.SeatId;
import tolvin.core.estate.TieId;

/**
 * A question that only a person can answer. Two are the same if they ask the same of the same
 * thing.
 *
 * @param kind what is asked
 * @param subject the tie, seat or account that it is about; empty if it is about an effect
 * @param effect the effect that it is about; empty if it is about a tie, seat or account
 */
public record Question(Kind kind, Optional<UUID> subject, Optional<EffectId> effect) {
  /** What may be asked. */
  public enum Kind {
    /** A tie cannot sign in as it is: go on all the same? */
    BROKEN_TIE,

    /** A seat keeps one key only, and the old one is not in the coffer: replace it all the same? */
    NO_WAY_BACK,

    /** Uses cannot be seen on an account: does nobody else use the old key? */
    USES_NOT_SEEN,

    /** Only a log that a person read in shows a tie's sign-in: did it happen? */
    USE_READ_IN,

    /** The approved plan did not have an effect: go on? */
    BEYOND_THE_PLAN
  }

  /** A tie that cannot sign in as it is. */
  public static Question brokenTie(TieId tie) {
    return new Question(Kind.BROKEN_TIE, Optional.of(tie.value()), Optional.empty());
  }

  /** A seat whose old private key would be gone for good. */
  public static Question noWayBack(SeatId seat) {
    return new Question(Kind.NO_WAY_BACK, Optional.of(seat.value()), Optional.empty());
  }

  /** An account whose uses cannot be seen. */
  public static Question usesNotSeen(AccountId account) {
    return new Question(Kind.USES_NOT_SEEN, Optional.of(account.value()), Optional.empty());
  }

  /** A tie whose sign-in is known from a log that a person read in. */
  public static Question useReadIn(TieId tie) {
    return new Question(Kind.USE_READ_IN, Optional.of(tie.value()), Optional.empty());
  }

  /** An effect that the approved plan did not have. */
  public static Question beyondThePlan(EffectId effect) {
    return new Question(Kind.BEYOND_THE_PLAN, Optional.empty(), Optional.of(effect));
  }
}
