package tolvin.core.estate;

import java.util.UUID;

/**
 * The id of one tie.
 *
 * @param value a UUIDv7 (RFC 9562)
 */
public record TieId(UUID value) {
  @Override
  public String toString() {
    return value.toString();
  }
}
