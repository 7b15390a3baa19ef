package tolvin.service.people;

import static tolvin.service.store.Transactions.inNewTransaction;

import jakarta.enterprise.context.ApplicationScoped;
import jakarta.transaction.Transactional;
import java.time.Duration;
import java.time.Instant;
import java.util.List;
import java.util.Map;
import java.util.UUID;
import org.eclipse.microprofile.config.inject.ConfigProperty;
import tolvin.api.people.InvitationView;
import tolvin.api.people.JoinedView;
import tolvin.api.people.UserChangeRequest;
import tolvin.api.people.UserRequest;
import tolvin.api.people.UserView;
import tolvin.core.estate.IdentityKind;
import tolvin.core.people.UserRole;
import tolvin.core.people.UserState;
import tolvin.core.word.Words;
import tolvin.service.journal.Difference;
import tolvin.service.journal.Journal;
import tolvin.service.problem.Checks;
import tolvin.service.problem.Problem;
import tolvin.service.record.identity.IdentityRow;
import tolvin.service.record.identity.IdentityStore;
import tolvin.service.record.people.UserRow;
import tolvin.service.record.people.UserStore;
import tolvin.service.store.ClockStore;

/**
 * The life of users. Nobody but they themselves ever knows a password: an administrator makes a
 * link, good once and for three days, with which they choose one.
 */
@ApplicationScoped
public class Users {
  private static final Duration LINK = Duration.ofDays(3);

  private final UserStore store;
  private final IdentityStore identities;
  private final Passwords passwords;
  private final Sessions sessions;
  private final Tokens tokens;
  private final SignInThrottle throttle;
  private final ClockStore clock;
  private final Journal journal;
  private final String url;

  Users(
      UserStore store,
      IdentityStore identities,
      Passwords passwords,
      Sessions sessions,
      Tokens tokens,
      SignInThrottle throttle,
      ClockStore clock,
      Journal journal,
      @ConfigProperty(name = "tolvin.url") String url) {
    this.store = store;
    this.identities = identities;
    this.passwords = passwords;
    this.sessions = sessions;
    this.tokens = tokens;
    this.throttle = throttle;
    this.clock = clock;
    this.journal = journal;
    this.url = url;
  }

  /** Whether nobody can sign in yet. */
  @Transactional
  public boolean isEmpty() {
    return store.isEmpty();
  }

  /** Those who were not removed. */
  @Transactional
  public List<UserView> everyone() {
    return store.everyone().stream().map(Users::view).toList();
  }

  /** Adds the first administrator, whose password the start itself knows. */
  UUID addFirst(String login, String name, String password) {
    String hash = passwords.hash(password);
    return inNewTransaction(
        () -> {
          UserRow user = add(login, name, UserRole.ADMINISTRATOR, null);
          user.state = UserState.ACTIVE;
          user.passwordHash = hash;
          return user.id;
        });
  }

  /** Adds a user, who may come in once they have chosen a password. */
  @Transactional
  public InvitationView invite(UserRequest request) {
    UserRole role = request.role() == null ? UserRole.SELF : request.role();
    IdentityRow identity =
        request.identityId() == null ? null : identities.get(request.identityId());
    if (identity == null && role == UserRole.SELF
        || identity != null && identity.kind != IdentityKind.PERSON) {
      throw Problem.invalid(
          "A user needs the identity of a person.", "Add the identity first, and name it.");
    }
    if (identity == null && (request.name() == null || request.name().isBlank())) {
      throw Problem.invalid(
          "An administrator without an identity needs a name: the journal says who did what.",
          "Give their name, or the identity of a person.");
    }
    String name = request.name() == null ? identity.name : request.name();
    return withLink(add(request.login(), name, role, identity == null ? null : identity.id));
  }

  private UserRow add(String login, String name, UserRole role, UUID identity) {
    String asked = Checks.text(login, "login");
    store
        .byLogin(asked)
        .ifPresent(
            there -> {
              throw Problem.conflict(
                  "user-exists",
                  there.state == UserState.REMOVED
                      ? "There was a user " + asked + " before; the journal still names them."
                      : "There is a user " + asked + " already.",
                  "Choose another login.");
            });
    if (identity != null) {
      store
          .ofIdentity(identity)
          .ifPresent(
              there -> {
                throw Problem.conflict(
                    "identity-has-user",
                    "This person has the login " + there.login + " already.",
                    "If they cannot sign in, make a new link: tolvin user link "
                        + there.login
                        + ".");
              });
    }
    Instant now = clock.now();
    UserRow user = new UserRow();
    user.id = clock.id(now);
    user.login = asked;
    user.name = Checks.text(name, "name");
    user.role = role;
    user.state = UserState.INVITED;
    user.identityId = identity;
    user.createdAt = now;
    store.add(user);
    journal.write(
        "user.added",
        user.id,
        "User " + user.login + " (" + user.name + ") added as " + Words.said(role),
        Map.of("role", Words.of(role)));
    return user;
  }

  /** Makes a new link with which somebody chooses a password; an older one is good no longer. */
  @Transactional
  public InvitationView link(UUID id) {
    UserRow user = present(id);
    if (user.state == UserState.DISABLED) {
      throw Problem.conflict("user-disabled", user.login + " is disabled.", "Enable them first.");
    }
    return withLink(user);
  }

  private InvitationView withLink(UserRow user) {
    Instant now = clock.now();
    String secret = Opaque.make(clock.random());
    user.linkHash = Opaque.hash(secret);
    user.linkUntil = now.plus(LINK);
    user.linkBy = journal.callerName();
    journal.write(
        "user.link-made",
        user.id,
        "Link made with which " + user.login + " chooses a password",
        Map.of("until", user.linkUntil.toString()));
    // behind the #, so that no server on the way and no log sees it
    return new InvitationView(user.id, user.login, url + "/join#" + secret, user.linkUntil);
  }

  /**
   * Lets the holder of a link choose a password. Their sessions end, since somebody else may have
   * had the password before.
   *
   * @throws Problem if the link is not good any more, or the password is too short
   */
  public JoinedView join(String secret, String password, String address) {
    throttle.demandTurn("", address);
    String link = Opaque.hash(secret);
    if (inNewTransaction(() -> store.byLink(link, clock.now())).isEmpty()) {
      throttle.failed("", address);
      throw badLink();
    }
    String hash = passwords.hash(password);
    return inNewTransaction(
        () -> {
          Instant now = clock.now();
          UserRow user =
              store.byLink(link, now).map(u -> store.lock(u.id)).orElseThrow(Users::badLink);
          if (!link.equals(user.linkHash)) {
            throw badLink(); // used by another request meanwhile
          }
          boolean isNew = user.state == UserState.INVITED;
          user.state = UserState.ACTIVE;
          user.passwordHash = hash;
          user.openedAt = now;
          user.openedBy = user.linkBy;
          dropLink(user);
          sessions.endAll(user.id);
          journal.writeAs(
              Journal.said(user.name, user.login),
              isNew ? "user.joined" : "user.password-reset",
              user.id,
              user.login
                  + (isNew ? " joined" : " set a new password")
                  + " with a link that "
                  + user.openedBy
                  + " had made",
              Map.of("address", address, "link-by", user.openedBy));
          return new JoinedView(user.login, user.name);
        });
  }

  private static Problem badLink() {
    return new Problem(
        403,
        "link-used",
        "Link refused",
        "This link was used, replaced by a newer one, or is older than three days.",
        "Ask an administrator for a new one.");
  }

  /** Changes a user's name, role or state. */
  @Transactional
  public UserView change(UUID id, UserChangeRequest change) {
    UserRow user = present(id);
    if (change.name() != null && !change.name().equals(user.name)) {
      String before = user.name;
      user.name = Checks.text(change.name(), "name");
      changed(user, "renamed", "name", before, user.name);
    }
    if (change.role() != null && change.role() != user.role) {
      if (change.role() == UserRole.SELF) {
        demandAnotherAdministrator(user);
        if (user.identityId == null) {
          throw Problem.invalid(
              user.login + " has no identity, so there is nothing that would be theirs.",
              "Remove them, and add them anew for an identity.");
        }
      }
      UserRole before = user.role;
      user.role = change.role();
      changed(user, "is now " + Words.said(user.role), "role", before, user.role);
    }
    if (change.state() != null && change.state() != user.state) {
      move(user, change.state());
    }
    return view(user);
  }

  private void move(UserRow user, UserState to) {
    UserState before = user.state;
    switch (to) {
      case DISABLED -> {
        demandAnotherAdministrator(user);
        close(user, UserState.DISABLED);
        changed(user, "disabled", "state", before, user.state);
      }
      case ACTIVE -> {
        user.state = user.passwordHash == null ? UserState.INVITED : UserState.ACTIVE;
        changed(user, "enabled", "state", before, user.state);
      }
      case INVITED, REMOVED ->
          throw Problem.invalid(
              "A user is set to active or disabled only.",
              "To invite somebody again make a link; to remove them use DELETE.");
    }
  }

  /** Removes a user; they stay on record, and their login is not given to anybody else. */
  @Transactional
  public void remove(UUID id) {
    UserRow user = present(id);
    demandAnotherAdministrator(user);
    UserState before = user.state;
    close(user, UserState.REMOVED);
    user.passwordHash = null;
    tokens.removeAll(user.id);
    changed(user, "removed", "state", before, user.state);
  }

  private void close(UserRow user, UserState state) {
    user.state = state;
    dropLink(user);
    sessions.endAll(user.id);
  }

  private static void dropLink(UserRow user) {
    user.linkHash = null;
    user.linkUntil = null;
    user.linkBy = null;
  }

  private void changed(UserRow user, String what, String field, Object before, Object after) {
    journal.write(
        "user.changed",
        user.id,
        "User " + user.login + " " + what,
        Difference.of(Map.of(field, before), Map.of(field, after)));
  }

  /** Somebody has to be left who can let people in again, and nobody shuts themselves out. */
  private void demandAnotherAdministrator(UserRow user) {
    if (user.login.equals(journal.callerName())) {
      throw Problem.conflict(
          "yourself",
          "You would take your own rights away.",
          "Ask another administrator to do it.");
    }
    if (user.role == UserRole.ADMINISTRATOR
        && user.state == UserState.ACTIVE
        && store.lockAdministrators().stream().allMatch(a -> a.id.equals(user.id))) {
      throw Problem.conflict(
          "last-administrator",
          user.login + " is the only administrator who can sign in.",
          "Let another one in first.");
    }
  }

  private UserRow present(UUID id) {
    UserRow user = store.lock(id);
    if (user.state == UserState.REMOVED) {
      throw Problem.notFound("user", id.toString());
    }
    return user;
  }

  private static UserView view(UserRow user) {
    return new UserView(
        user.id,
        user.login,
        user.name,
        user.role,
        user.state,
        user.identityId,
        user.createdAt,
        user.lastSeenAt,
        user.linkUntil);
  }
}
