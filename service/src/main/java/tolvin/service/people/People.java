package tolvin.service.people;

import static tolvin.service.store.Transactions.inNewTransaction;

import io.quarkus.elytron.security.common.BcryptUtil;
import jakarta.enterprise.context.ApplicationScoped;
import jakarta.transaction.Transactional;
import java.nio.charset.StandardCharsets;
import java.security.MessageDigest;
import java.security.NoSuchAlgorithmException;
import java.time.Duration;
import java.time.Instant;
import java.util.Base64;
import java.util.HexFormat;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.UUID;
import tolvin.api.people.NewTokenView;
import tolvin.api.people.NewUserView;
import tolvin.api.people.TokenView;
import tolvin.api.people.UserRequest;
import tolvin.api.people.UserView;
import tolvin.core.estate.IdentityKind;
import tolvin.service.journal.Journal;
import tolvin.service.problem.Checks;
import tolvin.service.problem.Problem;
import tolvin.service.record.identity.IdentityRow;
import tolvin.service.record.identity.IdentityStore;
import tolvin.service.record.people.SessionRow;
import tolvin.service.record.people.TokenRow;
import tolvin.service.record.people.UserRow;
import tolvin.service.record.people.UserStore;
import tolvin.service.store.ClockStore;
import tolvin.service.web.Role;

/** Signs people in and out, and gives tokens to programs. */
@ApplicationScoped
public class People {
  private static final Duration SESSION = Duration.ofHours(12);
  private static final Duration LONGEST_TOKEN = Duration.ofDays(366);
  private static final int SHORTEST_PASSWORD = 10;
  private static final int BCRYPT_BYTES = 72;

  /**
   * What a wrong password is compared with when there is no such user, so that it takes as long.
   */
  private static final String NOBODY = BcryptUtil.bcryptHash("nobody's password");

  private static final UUID NO_USER = new UUID(0, 0);

  private static final String LETTERS = "abcdefghijkmnpqrstuvwxyz23456789";

  private final UserStore store;
  private final IdentityStore identities;
  private final ClockStore clock;
  private final Journal journal;
  private final SignInThrottle throttle;

  People(
      UserStore store,
      IdentityStore identities,
      ClockStore clock,
      Journal journal,
      SignInThrottle throttle) {
    this.store = store;
    this.identities = identities;
    this.clock = clock;
    this.journal = journal;
    this.throttle = throttle;
  }

  /** Somebody who has come in. */
  public record Guest(
      String login, String name, String role, UUID identity, UUID session, String csrf) {}

  /** A session just begun: the token goes into the cookie and is not kept. */
  public record Begun(String token, Guest guest, Duration length) {}

  /** The users. */
  @Transactional
  public List<UserView> users() {
    return store.everyone().stream()
        .map(u -> new UserView(u.id, u.login, u.name, u.role, u.identityId))
        .toList();
  }

  /** Adds a user who may do everything. */
  @Transactional
  public void addUser(String login, String name, String role, String password) {
    addUser(login, name, role, password, null);
  }

  /**
   * Adds a user.
   *
   * @param identity whose keys they see and prove; absent for an administrator
   */
  @Transactional
  public UserView addUser(String login, String name, String role, String password, UUID identity) {
    int length = password == null ? 0 : password.getBytes(StandardCharsets.UTF_8).length;
    if (length < SHORTEST_PASSWORD || length > BCRYPT_BYTES) {
      throw Problem.invalid(
          "The password must have 10 to 72 bytes.", "Choose a longer one, such as four words.");
    }
    Instant now = clock.now();
    if (store.byLogin(Checks.text(login, "login")).isPresent()) {
      throw Problem.conflict(
          "user-exists", "There is a user " + login + " already.", "Choose another login.");
    }
    UserRow user = new UserRow();
    user.id = clock.id(now);
    user.login = Checks.text(login, "login");
    user.name = Checks.text(name, "name");
    user.role = role;
    user.identityId = identity;
    user.passwordHash = BcryptUtil.bcryptHash(password);
    user.createdAt = now;
    store.add(user);
    journal.write("user.added", user.id, "User " + user.login + " added as " + role, Map.of());
    return new UserView(user.id, user.login, user.name, user.role, user.identityId);
  }

  /** Adds a user for a person, with a password that is shown once. */
  @Transactional
  NewUserView addPerson(UserRequest request) {
    IdentityRow identity =
        identities
            .find(request.identityId())
            .filter(i -> i.kind == IdentityKind.PERSON)
            .orElseThrow(
                () ->
                    Problem.invalid(
                        "A user needs the identity of a person.", "Add the identity first."));
    String password = words();
    String name = request.name() == null ? identity.name : request.name();
    UserView added = addUser(request.login(), name, Role.SELF, password, identity.id);
    return new NewUserView(added.id(), added.login(), password);
  }

  /** A password that can be read over the phone. */
  String words() {
    StringBuilder password = new StringBuilder();
    for (int i = 0; i < 20; i++) {
      password.append(i > 0 && i % 5 == 0 ? "-" : "");
      password.append(LETTERS.charAt(clock.random().nextInt(LETTERS.length())));
    }
    return password.toString();
  }

  /** Whether nobody can sign in yet. */
  @Transactional
  public boolean isEmpty() {
    return store.isEmpty();
  }

  /**
   * Begins a session. After some failures each further one makes the caller wait, ever longer. The
   * password is hashed while no connection to the database is held.
   *
   * @param address where the caller comes from
   * @throws Problem if the login or password is wrong, or the caller must wait
   */
  public Begun signIn(String login, String password, String address) {
    throttle
        .mustWait(login, address, System.nanoTime())
        .ifPresent(
            wait -> {
              throw tooMany(wait);
            });
    Optional<String> hash =
        inNewTransaction(() -> store.byLogin(login).map(user -> user.passwordHash));
    if (!throttle.enter()) {
      throw tooMany(Duration.ofSeconds(5));
    }
    boolean right;
    try {
      right = BcryptUtil.matches(password, hash.orElse(NOBODY)) && hash.isPresent();
    } finally {
      throttle.leave();
    }
    if (!right) {
      throttle.failed(login, address, System.nanoTime());
      inNewTransaction(() -> refused(login, address));
      throw new Problem(
          401,
          "wrong-password",
          "Sign-in refused",
          "Login or password is wrong.",
          "Check both and try again.");
    }
    throttle.succeeded(login, address);
    return inNewTransaction(() -> begin(login, address));
  }

  private static Problem tooMany(Duration wait) {
    return new Problem(
        429,
        "too-many-failures",
        "Too many failures",
        "There were too many wrong passwords from here.",
        "Wait " + Math.max(1, wait.toSeconds() + 1) + " seconds and try again.");
  }

  /**
   * Somebody who mistypes may have typed a password where the login belongs: only known ones are
   * kept.
   */
  private boolean refused(String login, String address) {
    Optional<UserRow> user = store.byLogin(login);
    journal.write(
        "session.refused",
        user.map(u -> u.id).orElse(NO_USER),
        "Sign-in of "
            + user.map(u -> u.login).orElse("an unknown login")
            + " from "
            + address
            + " refused",
        Map.of("address", address));
    return true;
  }

  private Begun begin(String login, String address) {
    Instant now = clock.now();
    UserRow user = store.byLogin(login).orElseThrow(() -> Problem.notFound("user", login));
    String token = secret();
    SessionRow session = new SessionRow();
    session.id = clock.id(now);
    session.userId = user.id;
    session.tokenHash = hash(token);
    session.csrf = secret();
    session.createdAt = now;
    session.expiresAt = now.plus(SESSION);
    store.addSession(session);
    journal.writeAs(
        user.login,
        "session.begun",
        user.id,
        user.login + " signed in from " + address,
        Map.of("address", address));
    return new Begun(token, guest(user, session), SESSION);
  }

  /** Ends a session. */
  @Transactional
  public void signOut(UUID session) {
    store.endSession(session);
    journal.write("session.ended", session, "Signed out", Map.of());
  }

  /** Who a console's session belongs to. */
  @Transactional
  public Optional<Guest> bySession(String token) {
    return store
        .session(hash(token), clock.now())
        .map(session -> guest(store.get(session.userId), session));
  }

  /** Who an API token belongs to. */
  @Transactional
  public Optional<Guest> byToken(String token) {
    return store
        .token(hash(token), clock.now())
        .map(row -> store.get(row.userId))
        .map(user -> new Guest(user.login, user.name, user.role, user.identityId, null, null));
  }

  /** Makes an API token for a user. */
  @Transactional
  public NewTokenView makeToken(String login, String name, Duration life) {
    if (life.compareTo(LONGEST_TOKEN) > 0) {
      throw Problem.invalid(
          "A token lives for 366 days at the most.", "Choose a shorter life, such as P90D.");
    }
    Instant now = clock.now();
    UserRow user = store.byLogin(login).orElseThrow(() -> Problem.notFound("user", login));
    String token = "tvn_" + secret();
    TokenRow row = new TokenRow();
    row.id = clock.id(now);
    row.userId = user.id;
    row.name = Checks.text(name, "name");
    row.tokenHash = hash(token);
    row.createdAt = now;
    row.expiresAt = now.plus(life);
    store.addToken(row);
    journal.write("token.added", row.id, "API token “" + row.name + "” made", Map.of());
    return new NewTokenView(row.id, row.name, token, row.expiresAt);
  }

  /** The tokens in force; of everyone, or of one user. */
  @Transactional
  public List<TokenView> tokens(String login) {
    UUID user = login == null ? null : store.byLogin(login).map(u -> u.id).orElse(null);
    return store.tokens().stream()
        .filter(t -> login == null || t.userId.equals(user))
        .map(t -> new TokenView(t.id, t.name, t.createdAt, t.expiresAt))
        .toList();
  }

  /** Takes a token out of force. */
  @Transactional
  public void revokeToken(UUID id, String login) {
    TokenRow row =
        store
            .tokenById(id)
            .filter(t -> login == null || store.get(t.userId).login.equals(login))
            .orElseThrow(() -> Problem.notFound("token", id.toString()));
    if (row.revokedAt == null) {
      row.revokedAt = clock.now();
      journal.write("token.removed", id, "API token “" + row.name + "” removed", Map.of());
    }
  }

  private static Guest guest(UserRow user, SessionRow session) {
    return new Guest(user.login, user.name, user.role, user.identityId, session.id, session.csrf);
  }

  private String secret() {
    byte[] bytes = new byte[32];
    clock.random().nextBytes(bytes);
    return Base64.getUrlEncoder().withoutPadding().encodeToString(bytes);
  }

  private static String hash(String token) {
    try {
      return HexFormat.of()
          .formatHex(
              MessageDigest.getInstance("SHA-256").digest(token.getBytes(StandardCharsets.UTF_8)));
    } catch (NoSuchAlgorithmException impossible) {
      throw new IllegalStateException("every Java platform has SHA-256", impossible);
    }
  }
}
