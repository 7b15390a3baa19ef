package tolvin.service.effect;

import jakarta.enterprise.context.ApplicationScoped;
import java.util.UUID;
import tolvin.core.estate.SeatId;
import tolvin.core.key.Fingerprint;
import tolvin.core.port.PortException;

/**
 * Edits of single seats that a person asked for, beside rotations: recorded with what was there
 * before, reserved, and read back like any other effect.
 */
@ApplicationScoped
public class SeatEdits {
  private final Effects effects;
  private final SeatEffects seats;

  SeatEdits(Effects effects, SeatEffects seats) {
    this.effects = effects;
    this.seats = seats;
  }

  /**
   * Makes a seat offer the key again that it keeps beside its file.
   *
   * @throws PortException if it could not be done, or somebody else is at the seat just now
   */
  public void restore(UUID seat, Fingerprint key) throws PortException {
    effects.editSeat(
        seat,
        "Make the seat offer " + key.brief() + " again",
        lease -> seats.restore(new SeatId(seat), key, lease));
  }

  /**
   * Supplies a key from the coffer to a seat.
   *
   * @throws PortException likewise
   */
  public void supply(UUID seat, Fingerprint key) throws PortException {
    effects.editSeat(
        seat,
        "Supply " + key.brief() + " to the seat",
        lease -> seats.supply(new SeatId(seat), key, lease));
  }

  /**
   * Removes the private key that lies beside a seat's file.
   *
   * @throws PortException likewise
   */
  public void clear(UUID seat, Fingerprint key) throws PortException {
    effects.editSeat(
        seat,
        "Remove the private key of " + key.brief() + " beside the seat",
        lease -> seats.clear(new SeatId(seat), key, lease));
  }
}
