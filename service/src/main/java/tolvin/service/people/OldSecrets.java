package tolvin.service.people;

import jakarta.enterprise.context.ApplicationScoped;
import java.time.Duration;
import java.time.Instant;
import java.util.Optional;
import org.eclipse.microprofile.config.inject.ConfigProperty;
import tolvin.service.problem.Problem;
import tolvin.service.store.ClockStore;

/**
 * Keeps the secrets of a person closed for a while after a link let somebody choose their password:
 * its maker may be the one who used it, and the owner has to have time to notice.
 */
@ApplicationScoped
public class OldSecrets {
  private final ClockStore clock;
  private final Duration wait;

  OldSecrets(ClockStore clock, @ConfigProperty(name = "tolvin.secrets.wait") Duration wait) {
    this.clock = clock;
    this.wait = wait;
  }

  /** When secrets from before the link may be fetched; empty if they may be now. */
  Optional<Instant> from(Guest guest) {
    return Optional.ofNullable(guest.openedAt())
        .map(opened -> opened.plus(wait))
        .filter(from -> from.isAfter(clock.now()));
  }

  /**
   * Refuses a secret that is older than the link, while it waits.
   *
   * @param secretFrom since when there is the secret
   */
  public void demandNoneTooEarly(Guest guest, Instant secretFrom) {
    Optional<Instant> from = from(guest);
    if (from.isPresent() && secretFrom.isBefore(guest.openedAt())) {
      throw new Problem(
          403,
          "login-too-new",
          "Not yet",
          "The password of "
              + guest.login()
              + " was chosen with a link that "
              + guest.openedBy()
              + " made, at "
              + guest.openedAt()
              + ". What is older stays closed until "
              + from.get()
              + ".",
          "Wait until then, or rotate the key. If it was not you, tell your security team.");
    }
  }
}
