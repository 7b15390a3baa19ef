package tolvin.service.people;

import jakarta.enterprise.context.ApplicationScoped;
import jakarta.transaction.Transactional;
import java.time.Duration;
import java.time.Instant;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.UUID;
import tolvin.api.people.NewTokenView;
import tolvin.api.people.TokenView;
import tolvin.core.people.TokenScope;
import tolvin.core.people.UserState;
import tolvin.core.word.Words;
import tolvin.service.journal.Journal;
import tolvin.service.problem.Checks;
import tolvin.service.problem.Problem;
import tolvin.service.record.people.TokenRow;
import tolvin.service.record.people.TokenStore;
import tolvin.service.record.people.UserRow;
import tolvin.service.record.people.UserStore;
import tolvin.service.store.ClockStore;

/** Gives tokens to people's programs. */
@ApplicationScoped
public class Tokens {
  private static final Duration LONGEST = Duration.ofDays(366);

  private final TokenStore store;
  private final UserStore users;
  private final ClockStore clock;
  private final Journal journal;

  Tokens(TokenStore store, UserStore users, ClockStore clock, Journal journal) {
    this.store = store;
    this.users = users;
    this.clock = clock;
    this.journal = journal;
  }

  /** Makes a token for a user. */
  @Transactional
  public NewTokenView make(UUID user, String name, Duration life, TokenScope scope) {
    if (life.compareTo(LONGEST) > 0) {
      throw Problem.invalid(
          "A token lives for 366 days at the most.", "Choose a shorter life, such as P90D.");
    }
    Instant now = clock.now();
    UserRow owner = users.get(user);
    String secret = "tvn_" + Opaque.make(clock.random());
    TokenRow row = new TokenRow();
    row.id = clock.id(now);
    row.userId = owner.id;
    row.name = Checks.text(name, "name");
    row.tokenHash = Opaque.hash(secret);
    row.scope = scope;
    row.createdAt = now;
    row.expiresAt = now.plus(life);
    store.add(row);
    journal.write(
        "token.added",
        row.id,
        "API token “" + row.name + "” of " + owner.login + " made, to " + Words.said(scope),
        Map.of("user", owner.login, "scope", Words.of(scope)));
    return new NewTokenView(row.id, row.name, scope, secret, row.expiresAt);
  }

  /** The tokens in force; of everybody, or of one user. */
  @Transactional
  public List<TokenView> inForce(Optional<UUID> user) {
    return store.inForce(user, clock.now()).stream()
        .map(
            t ->
                new TokenView(
                    t.id,
                    t.name,
                    users.get(t.userId).login,
                    t.scope,
                    t.createdAt,
                    t.expiresAt,
                    t.lastUsedAt))
        .toList();
  }

  /** Takes a token out of force. */
  @Transactional
  public void remove(UUID id, Optional<UUID> onlyOf) {
    TokenRow row =
        store
            .find(id)
            .filter(t -> onlyOf.isEmpty() || onlyOf.get().equals(t.userId))
            .orElseThrow(() -> Problem.notFound("token", id.toString()));
    if (row.revokedAt == null) {
      row.revokedAt = clock.now();
      String owner = users.get(row.userId).login;
      journal.write(
          "token.removed",
          id,
          "API token “" + row.name + "” of " + owner + " removed",
          Map.of("user", owner));
    }
  }

  /** Takes all tokens of a user out of force, in the change that makes it necessary. */
  @Transactional(Transactional.TxType.MANDATORY)
  public void removeAll(UUID user) {
    Instant now = clock.now();
    store.inForce(Optional.of(user), now).forEach(row -> row.revokedAt = now);
  }

  /** Whom a token belongs to. */
  @Transactional
  public Optional<Guest> bySecret(String secret) {
    Instant now = clock.now();
    Optional<TokenRow> token = store.byHash(Opaque.hash(secret), now);
    Optional<UserRow> user =
        token.flatMap(t -> users.find(t.userId)).filter(u -> u.state == UserState.ACTIVE);
    if (user.isPresent() && Sessions.isOlder(token.get().lastUsedAt, now)) {
      store.used(token.get().id);
      users.seen(user.get().id);
    }
    return user.map(u -> Guest.of(u, token.get()));
  }
}
