package tolvin.core.rotation;

import java.util.Comparator;
import tolvin.core.estate.Account;
import tolvin.core.estate.Seat;
import tolvin.core.estate.Snapshot;
import tolvin.core.estate.Tie;
import tolvin.core.key.Fingerprint;

/** The stages of a rotation in order; a rotation shows its least advanced tie. */
public enum Stage {
  PLANNED,
  GENERATED,
  PLACED,
  SUPPLIED,
  PROVEN,
  WATCHED,
  WITHDRAWN,
  DONE;

  /** The stage of a whole rotation. */
  public static Stage of(Snapshot snapshot, RotationContext context) {
    if (context.fresh().isEmpty()) {
      return PLANNED;
    }
    if (snapshot.ties().isEmpty()) {
      return snapshot.accountList().stream()
          .map(account -> ofAccount(account, snapshot, context))
          .min(Comparator.naturalOrder())
          .orElse(GENERATED);
    }
    return snapshot.ties().stream()
        .map(tie -> of(tie, snapshot, context))
        .min(Comparator.naturalOrder())
        .orElseThrow();
  }

  /** The stage of one tie of a rotation. */
  public static Stage of(Tie tie, Snapshot snapshot, RotationContext context) {
    Account account = snapshot.accounts().get(tie.account());
    Seat seat = snapshot.seats().get(tie.seat());
    Fingerprint old = context.old();
    Fingerprint fresh = context.fresh().orElse(null);
    if (fresh == null) {
      return PLANNED;
    }
    if (account.accepts(fresh, snapshot.now()).isEmpty()) {
      return GENERATED;
    }
    if (!seat.offers().contains(fresh)) {
      return PLACED;
    }
    if (snapshot.seatProof(tie, fresh).isEmpty()) {
      return SUPPLIED;
    }
    if (account.accepts(old, snapshot.now()).isPresent()) {
      boolean watched = Guards.quiet(account, old, fresh, snapshot, context).allowed();
      return watched ? WATCHED : PROVEN;
    }
    return seat.keeps().contains(old) ? WITHDRAWN : DONE;
  }

  private static Stage ofAccount(Account account, Snapshot snapshot, RotationContext context) {
    Fingerprint fresh = context.fresh().orElseThrow();
    if (account.accepts(fresh, snapshot.now()).isEmpty()) {
      return GENERATED;
    }
    if (snapshot.accountProof(account.id(), fresh).isEmpty()) {
      return PLACED;
    }
    if (account.accepts(context.old(), snapshot.now()).isPresent()) {
      boolean watched = Guards.quiet(account, context.old(), fresh, snapshot, context).allowed();
      return watched ? WATCHED : PROVEN;
    }
    return DONE;
  }
}
