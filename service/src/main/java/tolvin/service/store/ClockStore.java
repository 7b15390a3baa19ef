package tolvin.service.store;

import jakarta.enterprise.context.ApplicationScoped;
import jakarta.persistence.EntityManager;
import jakarta.persistence.FlushModeType;
import java.security.SecureRandom;
import java.time.Instant;
import java.util.UUID;
import tolvin.core.Ids;

/** The one clock of an installation, which is the database's, and ids made by it. */
@ApplicationScoped
public class ClockStore {
  private final EntityManager database;
  private final SecureRandom random = new SecureRandom();

  ClockStore(EntityManager database) {
    this.database = database;
  }

  /** Now, by the database's clock. */
  public Instant now() {
    return (Instant)
        database
            .createNativeQuery("select clock_timestamp()", Instant.class)
            .setFlushMode(FlushModeType.COMMIT) // asking for the time must not send half a change
            .getSingleResult();
  }

  /** A new UUIDv7. */
  public UUID id(Instant now) {
    return Ids.make(now, random);
  }

  /** The process's source of randomness. */
  public SecureRandom random() {
    return random;
  }
}
