package tolvin.service.look;

import java.util.List;
import java.util.UUID;

/**
 * What a reading of a seat showed that somebody should know of.
 *
 * @param seat which
 * @param host the destination that it lies on
 * @param name for sentences
 * @param refused the accounts that accept none of the keys that it offers
 * @param left the keys that lie beside it although no rotation needs them, by fingerprint
 */
public record SeatState(
    UUID seat, UUID host, String name, List<Refused> refused, List<String> left) {

  /**
   * An account that a client cannot sign in to.
   *
   * @param account which
   * @param destination where it is
   * @param tie integration and account, for sentences
   * @param offered the keys that the client offers, by fingerprint
   */
  public record Refused(UUID account, UUID destination, String tie, List<String> offered) {}
}
