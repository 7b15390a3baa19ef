package tolvin.service.effect;

import jakarta.enterprise.context.ApplicationScoped;
import java.util.List;
import java.util.UUID;
import tolvin.core.estate.Registered;
import tolvin.core.port.Lease;
import tolvin.core.port.PortException;
import tolvin.service.account.Readings;

/**
 * Edits of single accounts that a person asked for, beside rotations and placements: recorded with
 * what was there before, reserved, and read back like any other effect.
 */
@ApplicationScoped
public class Edits {
  private final Effects effects;
  private final Readings readings;

  Edits(Effects effects, Readings readings) {
    this.effects = effects;
    this.readings = readings;
  }

  /** What is done to the account. */
  @FunctionalInterface
  public interface Edit {
    /**
     * Does it.
     *
     * @return what is registered there afterwards, read again
     * @throws PortException if it could not be done
     */
    List<Registered> with(Lease lease) throws PortException;
  }

  /**
   * Does it, outside of any transaction.
   *
   * @param sentence what is done, for the records
   * @throws PortException if it could not be done, or somebody else is at the account just now
   */
  public void edit(UUID account, String sentence, Edit edit) throws PortException {
    effects.edit(
        account,
        sentence,
        lease -> {
          List<Registered> after = edit.with(lease);
          return () -> readings.record(account, after);
        });
  }
}
