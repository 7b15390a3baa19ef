package tolvin.service.people;

import static tolvin.service.store.Transactions.inNewTransaction;

import jakarta.enterprise.context.ApplicationScoped;
import jakarta.transaction.Transactional;
import java.time.Duration;
import java.time.Instant;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.UUID;
import org.eclipse.microprofile.config.inject.ConfigProperty;
import tolvin.api.people.OpenSessionView;
import tolvin.core.people.UserState;
import tolvin.service.job.KeptForAWhile;
import tolvin.service.journal.Journal;
import tolvin.service.problem.Problem;
import tolvin.service.record.people.SessionRow;
import tolvin.service.record.people.SessionStore;
import tolvin.service.record.people.UserRow;
import tolvin.service.record.people.UserStore;
import tolvin.service.store.ClockStore;

/** Signs people in and out of the console. */
@ApplicationScoped
public class Sessions implements KeptForAWhile {
  /** Uses within it are not written down again. */
  private static final Duration MINUTE = Duration.ofMinutes(1);

  private static final UUID NO_USER = new UUID(0, 0);

  private final SessionStore store;
  private final UserStore users;
  private final Passwords passwords;
  private final SignInThrottle throttle;
  private final ClockStore clock;
  private final Journal journal;
  private final Duration longest;
  private final Duration idle;

  Sessions(
      SessionStore store,
      UserStore users,
      Passwords passwords,
      SignInThrottle throttle,
      ClockStore clock,
      Journal journal,
      @ConfigProperty(name = "tolvin.session.longest") Duration longest,
      @ConfigProperty(name = "tolvin.session.idle") Duration idle) {
    this.store = store;
    this.users = users;
    this.passwords = passwords;
    this.throttle = throttle;
    this.clock = clock;
    this.journal = journal;
    this.longest = longest;
    this.idle = idle;
  }

  /** A session just begun: the secret goes into the cookie and is not kept. */
  public record Begun(String secret, Guest guest, Duration length) {}

  /**
   * Begins a session. After some failures each further one makes the caller wait, ever longer.
   *
   * @param address where the caller comes from
   * @throws Problem if the login or password is wrong, or the caller must wait
   */
  public Begun signIn(String login, String password, String address) {
    if (!isRight(login, password, address)) {
      throw new Problem(
          401,
          "wrong-password",
          "Sign-in refused",
          "Login or password is wrong.",
          "Check both and try again.");
    }
    return inNewTransaction(() -> begin(login, address));
  }

  /** The password is hashed while no connection to the database is held. */
  private boolean isRight(String login, String password, String address) {
    throttle.demandTurn(login, address);
    Optional<String> hash =
        inNewTransaction(
            () ->
                users
                    .byLogin(login)
                    .filter(user -> user.state == UserState.ACTIVE)
                    .map(user -> user.passwordHash));
    if (passwords.isRight(password, hash)) {
      throttle.succeeded(login, address);
      return true;
    }
    throttle.failed(login, address);
    inNewTransaction(() -> refused(login, address));
    return false;
  }

  /**
   * Somebody who mistypes may have typed a password where the login belongs: only known ones are
   * kept.
   */
  private boolean refused(String login, String address) {
    Optional<UserRow> user = users.byLogin(login);
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
    UserRow user =
        users
            .byLogin(login)
            .filter(u -> u.state == UserState.ACTIVE)
            .orElseThrow(() -> Problem.notFound("user", login));
    String secret = Opaque.make(clock.random());
    SessionRow session = new SessionRow();
    session.id = clock.id(now);
    session.userId = user.id;
    session.tokenHash = Opaque.hash(secret);
    session.csrf = Opaque.make(clock.random());
    session.address = address;
    session.createdAt = now;
    session.lastUsedAt = now;
    session.confirmedAt = now;
    session.expiresAt = now.plus(longest);
    store.add(session);
    user.lastSeenAt = now;
    journal.writeAs(
        Journal.said(user.name, user.login),
        "session.begun",
        user.id,
        user.login + " signed in from " + address,
        Map.of("address", address));
    return new Begun(secret, Guest.of(user, session), longest);
  }

  /**
   * Takes the password of somebody who is signed in once more, for what asks for it.
   *
   * @throws Problem if it is wrong; the session goes on
   */
  public void confirm(Guest guest, String password, String address) {
    demandPassword(guest, password, address);
    inNewTransaction(
        () -> {
          store.get(guest.session()).confirmedAt = clock.now();
          return null;
        });
  }

  /** Changes somebody's password, and ends their other sessions. */
  public void changePassword(Guest guest, String password, String next, String address) {
    demandPassword(guest, password, address);
    String hash = passwords.hash(next);
    inNewTransaction(
        () -> {
          UserRow user = users.lock(guest.user());
          user.passwordHash = hash;
          int ended = store.endOf(user.id, Optional.of(guest.session()));
          journal.write(
              "user.password-changed",
              user.id,
              user.login + " changed their password",
              Map.of("sessions-ended", ended));
          return null;
        });
  }

  private void demandPassword(Guest guest, String password, String address) {
    if (guest.session() == null) {
      throw new Problem(
          403,
          "session-needed",
          "Sign-in needed",
          "This is for a person who signed in with their password, not for a token.",
          "Sign in first.");
    }
    if (!isRight(guest.login(), password, address)) {
      throw new Problem(
          403, "wrong-password", "Password refused", "The password is wrong.", "Try it again.");
    }
  }

  /** Ends the session that somebody is in. */
  @Transactional
  public void signOut(Guest guest) {
    store.find(guest.session()).ifPresent(store::remove);
    journal.write("session.ended", guest.session(), guest.login() + " signed out", Map.of());
  }

  /** Ends somebody's session from outside. */
  @Transactional
  public void end(UUID id, Optional<UUID> onlyOf) {
    SessionRow session =
        store
            .find(id)
            .filter(s -> onlyOf.isEmpty() || onlyOf.get().equals(s.userId))
            .orElseThrow(() -> Problem.notFound("session", id.toString()));
    UserRow user = users.get(session.userId);
    store.remove(session);
    journal.write(
        "session.ended",
        id,
        "Session of " + user.login + " from " + session.address + " ended",
        Map.of("user", user.login));
  }

  /** Ends all sessions of a user, in the change that makes it necessary. */
  @Transactional(Transactional.TxType.MANDATORY)
  public void endAll(UUID user) {
    store.endOf(user, Optional.empty());
  }

  /** The sessions that go on, of everybody or of one user. */
  @Transactional
  public List<OpenSessionView> goingOn(Optional<UUID> user, UUID own) {
    Instant now = clock.now();
    return store.goingOn(user, now, now.minus(idle)).stream()
        .map(
            s ->
                new OpenSessionView(
                    s.id,
                    users.get(s.userId).login,
                    s.address,
                    s.createdAt,
                    s.lastUsedAt,
                    s.expiresAt,
                    s.id.equals(own)))
        .toList();
  }

  /**
   * Whom a session's secret belongs to.
   *
   * @param isUsed whether a person is at it: a page that renews itself keeps no session open
   */
  @Transactional
  public Optional<Guest> bySecret(String secret, boolean isUsed) {
    Instant now = clock.now();
    Optional<SessionRow> session = store.byHash(Opaque.hash(secret), now, now.minus(idle));
    Optional<UserRow> user =
        session.flatMap(s -> users.find(s.userId)).filter(u -> u.state == UserState.ACTIVE);
    if (user.isPresent() && isUsed && isOlder(session.get().lastUsedAt, now)) {
      store.used(session.get().id);
      users.seen(user.get().id);
    }
    return user.map(u -> Guest.of(u, session.get()));
  }

  /** Whether a use has to be noted again. */
  static boolean isOlder(Instant last, Instant now) {
    return last == null || last.plus(MINUTE).isBefore(now);
  }

  @Override
  public void forget(Instant now) {
    store.forget(now, now.minus(idle));
  }
}
