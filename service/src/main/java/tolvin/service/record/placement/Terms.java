package tolvin.service.record.placement;

import tolvin.core.estate.Access;
import tolvin.core.estate.Purpose;

/**
 * On what terms a key stands on an account.
 *
 * @param title the person's words for it, without a mark
 * @param purpose sign-in or signing
 * @param access read or write
 * @param limits what limits it
 */
public record Terms(String title, Purpose purpose, Access access, Limits limits) {
  /** A plain sign-in. */
  public static Terms signIn(String title) {
    return new Terms(title, Purpose.SIGN_IN, Access.WRITE, Limits.NONE);
  }

  /** Those of a placement. */
  public static Terms of(PlacementRow row) {
    return new Terms(row.title, row.purpose, row.access, Limits.of(row));
  }
}
