package tolvin.service.store;

import jakarta.enterprise.context.ApplicationScoped;
import jakarta.persistence.EntityManager;
import jakarta.persistence.FlushModeType;

/** Sends news to the listeners of all instances once the transaction is committed. */
@ApplicationScoped
public class NewsStore {
  private final EntityManager database;

  NewsStore(EntityManager database) {
    this.database = database;
  }

  /** Sends a text on a channel; the same text twice in one transaction arrives once. */
  public void send(String channel, String text) {
    database
        .createNativeQuery("select cast(pg_notify(:channel, :text) as text)")
        .setFlushMode(FlushModeType.COMMIT) // sending must not send half a change
        .setParameter("channel", channel)
        .setParameter("text", text)
        .getSingleResult();
  }
}
