package tolvin.core.estate;

import java.util.UUID;

/**
 * The id of one seat.
 *
 * @param value a UUIDv7 (RFC 9562)
 */
public record SeatId(UUID value) {
  @Override
  public String toString() {
    return value.toString();
  }
}
