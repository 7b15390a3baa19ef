package tolvin.service.record.people;

import jakarta.enterprise.context.ApplicationScoped;
import java.time.Instant;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.UUID;
import tolvin.core.people.UserRole;
import tolvin.core.people.UserState;
import tolvin.service.store.RowStore;

/** Users. */
@ApplicationScoped
public class UserStore extends RowStore<UserRow> {
  UserStore() {
    super(UserRow.class, "user");
  }

  /** The user with a login, whatever became of them. */
  public Optional<UserRow> byLogin(String login) {
    return one("r.login = :login", Map.of("login", login));
  }

  /** The user of an identity, unless they were removed. */
  public Optional<UserRow> ofIdentity(UUID identity) {
    return one(
        "r.identityId = :identity and r.state <> :gone",
        Map.of("identity", identity, "gone", UserState.REMOVED));
  }

  /** The user whose link has a hash and is still good. */
  public Optional<UserRow> byLink(String linkHash, Instant now) {
    return one("r.linkHash = :hash and r.linkUntil > :now", Map.of("hash", linkHash, "now", now));
  }

  /** All who were not removed. */
  public List<UserRow> everyone() {
    return list("r.state <> :gone", Map.of("gone", UserState.REMOVED));
  }

  /** The administrators who may sign in, locked, so that two cannot take each other out. */
  public List<UserRow> lockAdministrators() {
    return list(
            "r.role = :role and r.state = :state",
            Map.of("role", UserRole.ADMINISTRATOR, "state", UserState.ACTIVE))
        .stream()
        .map(this::lock)
        .filter(user -> user.role == UserRole.ADMINISTRATOR && user.state == UserState.ACTIVE)
        .toList();
  }

  /** Notes that somebody was here. */
  public void seen(UUID id) {
    touch("user_account", "last_seen_at", id);
  }

  public boolean isEmpty() {
    return count("true = true", Map.of()) == 0;
  }
}
