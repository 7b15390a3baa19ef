package tolvin.service.record.people;

import jakarta.enterprise.context.ApplicationScoped;
import java.time.Instant;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.UUID;
import tolvin.service.store.RowStore;

/** Users, sessions and tokens. */
@ApplicationScoped
public class UserStore extends RowStore<UserRow> {
  UserStore() {
    super(UserRow.class, "user");
  }

  public Optional<UserRow> byLogin(String login) {
    return one("r.login = :login", Map.of("login", login));
  }

  public List<UserRow> everyone() {
    return list("true = true", Map.of());
  }

  public boolean isEmpty() {
    return database.createQuery("select count(u) from UserRow u", Long.class).getSingleResult()
        == 0;
  }

  public void addSession(SessionRow session) {
    database.persist(session);
  }

  public Optional<SessionRow> session(String tokenHash, Instant now) {
    return database
        .createQuery(
            "from SessionRow s where s.tokenHash = :hash and s.expiresAt > :now", SessionRow.class)
        .setParameter("hash", tokenHash)
        .setParameter("now", now)
        .getResultStream()
        .findFirst();
  }

  public void endSession(UUID id) {
    database
        .createQuery("delete from SessionRow s where s.id = :id")
        .setParameter("id", id)
        .executeUpdate();
  }

  public void addToken(TokenRow token) {
    database.persist(token);
  }

  public Optional<TokenRow> token(String tokenHash, Instant now) {
    return database
        .createQuery(
            "from TokenRow t where t.tokenHash = :hash and t.expiresAt > :now"
                + " and t.revokedAt is null",
            TokenRow.class)
        .setParameter("hash", tokenHash)
        .setParameter("now", now)
        .getResultStream()
        .findFirst();
  }

  public List<TokenRow> tokens() {
    return database
        .createQuery("from TokenRow t where t.revokedAt is null order by t.id", TokenRow.class)
        .getResultList();
  }

  public Optional<TokenRow> tokenById(UUID id) {
    return Optional.ofNullable(database.find(TokenRow.class, id));
  }
}
