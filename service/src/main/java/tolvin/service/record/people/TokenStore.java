package tolvin.service.record.people;

import jakarta.enterprise.context.ApplicationScoped;
import java.time.Instant;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.UUID;
import tolvin.service.store.RowStore;

/** API tokens. */
@ApplicationScoped
public class TokenStore extends RowStore<TokenRow> {
  TokenStore() {
    super(TokenRow.class, "token");
  }

  /** The token in force that has a hash. */
  public Optional<TokenRow> byHash(String hash, Instant now) {
    return one(
        "r.tokenHash = :hash and r.expiresAt > :now and r.revokedAt is null",
        Map.of("hash", hash, "now", now));
  }

  /** Notes that it was used. */
  public void used(UUID id) {
    touch("api_token", "last_used_at", id);
  }

  /** The tokens that were not taken out of force, of everybody or of one user. */
  public List<TokenRow> inForce(Optional<UUID> user, Instant now) {
    return list(
        "r.revokedAt is null and r.expiresAt > :now and (:all = true or r.userId = :user)",
        Map.of("now", now, "all", user.isEmpty(), "user", user.orElse(NOBODY)));
  }
}
