package tolvin.core.rotation;

import java.util.Comparator;
import tolvin.core.estate.Account;
import tolvin.core.estate.Picture;
import tolvin.core.estate.Seat;
import tolvin.core.estate.Tie;
import tolvin.core.key.Fingerprint;

/** The stages of a rotation in order; a rotation shows its least advanced tie. */
public enum Stage {
  PLANNED,
  MADE,
  PLACED,
  SUPPLIED,
  PROVEN,
  WATCHED,
  WITHDRAWN,
  DONE;

  /** The stage of a whole rotation. */
  public static Stage of(Picture picture, Course course) {
    if (course.fresh().isEmpty()) {
      return PLANNED;
    }
    if (picture.ties().isEmpty()) {
      return picture.accountList().stream()
          .map(account -> ofAccount(account, picture, course))
          .min(Comparator.naturalOrder())
          .orElse(MADE);
    }
    return picture.ties().stream()
        .map(tie -> of(tie, picture, course))
        .min(Comparator.naturalOrder())
        .orElseThrow();
  }

  /** The stage of one tie of a rotation. */
  public static Stage of(Tie tie, Picture picture, Course course) {
    Account account = picture.accounts().get(tie.account());
    Seat seat = picture.seats().get(tie.seat());
    Fingerprint old = course.old();
    Fingerprint fresh = course.fresh().orElse(null);
    if (fresh == null) {
      return PLANNED;
    }
    if (account.accepts(fresh, picture.now()).isEmpty()) {
      return MADE;
    }
    if (!seat.offers().contains(fresh)) {
      return PLACED;
    }
    if (picture.seatProof(tie, fresh).isEmpty()) {
      return SUPPLIED;
    }
    if (account.accepts(old, picture.now()).isPresent()) {
      boolean watched = Guards.quiet(account, old, fresh, picture, course).allowed();
      return watched ? WATCHED : PROVEN;
    }
    return seat.keeps().contains(old) ? WITHDRAWN : DONE;
  }

  private static Stage ofAccount(Account account, Picture picture, Course course) {
    Fingerprint fresh = course.fresh().orElseThrow();
    if (account.accepts(fresh, picture.now()).isEmpty()) {
      return MADE;
    }
    if (picture.accountProof(account.id(), fresh).isEmpty()) {
      return PLACED;
    }
    if (account.accepts(course.old(), picture.now()).isPresent()) {
      boolean watched = Guards.quiet(account, course.old(), fresh, picture, course).allowed();
      return watched ? WATCHED : PROVEN;
    }
    return DONE;
  }
}
