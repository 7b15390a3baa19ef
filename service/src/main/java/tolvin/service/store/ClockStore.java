package tolvin.service.store;

import jakarta.enterprise.context.ApplicationScoped;
import jakarta.persistence.EntityManager;
import jakarta.persistence.FlushModeType;
import java.security.SecureRandom;
import java.time.Instant;
import java.time.temporal.ChronoUnit;
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
    return instant(
        database
            .createNativeQuery("select " + micros("clock_timestamp()"))
            .setFlushMode(FlushModeType.COMMIT) // asking for the time must not send half a change
            .getSingleResult());
  }

  /**
   * A moment as a native query gives it: microseconds since 1970, which is how exactly PostgreSQL
   * keeps it.
   *
   * @param moment an expression of SQL
   */
  public static String micros(String moment) {
    return "cast(extract(epoch from " + moment + ") * 1000000 as bigint)";
  }

  /** The moment that {@link #micros} gave. */
  public static Instant instant(Object micros) {
    return Instant.EPOCH.plus(((Number) micros).longValue(), ChronoUnit.MICROS);
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
