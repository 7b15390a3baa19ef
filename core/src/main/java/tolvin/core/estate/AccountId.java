package tolvin.core.estate;

import java.util.UUID;

/**
 * The id of one account.
 *
 * @param value a UUIDv7 (RFC 9562)
 */
public record AccountId(UUID value) {
  @Override
  public String toString() {
    return value.toString();
  }
}
