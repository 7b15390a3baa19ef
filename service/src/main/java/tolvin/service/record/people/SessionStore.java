package tolvin.service.record.people;

import jakarta.enterprise.context.ApplicationScoped;
import java.time.Instant;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.UUID;
import tolvin.service.store.RowStore;

/** Sessions of the console. */
@ApplicationScoped
public class SessionStore extends RowStore<SessionRow> {
  SessionStore() {
    super(SessionRow.class, "session");
  }

  /**
   * The session that a secret's hash belongs to, if it has neither ended nor been idle for too
   * long.
   *
   * @param usedSince since when it has to have been used
   */
  public Optional<SessionRow> byHash(String hash, Instant now, Instant usedSince) {
    return one(
        "r.tokenHash = :hash and r.expiresAt > :now and r.lastUsedAt > :since",
        Map.of("hash", hash, "now", now, "since", usedSince));
  }

  /** The sessions that go on, of everybody or of one user, the newest last. */
  public List<SessionRow> goingOn(Optional<UUID> user, Instant now, Instant usedSince) {
    return list(
        "r.expiresAt > :now and r.lastUsedAt > :since and (:all = true or r.userId = :user)",
        Map.of("now", now, "since", usedSince, "all", user.isEmpty(), "user", user.orElse(NOBODY)));
  }

  /** Notes that somebody is at it. */
  public void used(UUID id) {
    touch("sign_in_session", "last_used_at", id);
  }

  /** Ends all sessions of a user but one. */
  public int endOf(UUID user, Optional<UUID> but) {
    return database
        .createQuery("delete from SessionRow s where s.userId = :user and s.id <> :but")
        .setParameter("user", user)
        .setParameter("but", but.orElse(NOBODY))
        .executeUpdate();
  }

  /** Forgets the sessions that are over. */
  public int forget(Instant now, Instant usedSince) {
    return database
        .createQuery("delete from SessionRow s where s.expiresAt < :now or s.lastUsedAt < :since")
        .setParameter("now", now)
        .setParameter("since", usedSince)
        .executeUpdate();
  }
}
