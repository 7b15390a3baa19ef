package tolvin.service.identity;

import io.quarkus.security.identity.SecurityIdentity;
import jakarta.enterprise.context.ApplicationScoped;
import jakarta.transaction.Transactional;
import java.time.Instant;
import java.util.Optional;
import java.util.UUID;
import tolvin.core.estate.IdentityKind;
import tolvin.service.people.Guest;
import tolvin.service.people.OldSecrets;
import tolvin.service.problem.Problem;
import tolvin.service.record.identity.IdentityRow;
import tolvin.service.record.identity.IdentityStore;
import tolvin.service.web.Role;

/** Says whose identities the caller is answerable for. */
@ApplicationScoped
public class Owners {
  private final SecurityIdentity caller;
  private final IdentityStore identities;
  private final OldSecrets oldSecrets;

  Owners(SecurityIdentity caller, IdentityStore identities, OldSecrets oldSecrets) {
    this.caller = caller;
    this.identities = identities;
    this.oldSecrets = oldSecrets;
  }

  /** The identity of whoever asks, if their user has one. */
  public Optional<UUID> own() {
    return Guest.of(caller).map(Guest::identity);
  }

  /**
   * Refuses a caller who does not own an identity, or came in too short a time ago for a secret of
   * it.
   *
   * @param secretFrom since when there is the secret
   */
  @Transactional
  public void demandSecret(UUID identity, Instant secretFrom) {
    if (!owns(identity)) {
      throw notYours();
    }
    Guest.of(caller).ifPresent(guest -> oldSecrets.demandNoneTooEarly(guest, secretFrom));
  }

  /** The identity that is meant: the given one for an administrator, the caller's own otherwise. */
  @Transactional
  public UUID meant(UUID given) {
    if (given == null) {
      return own().orElseThrow(Owners::noIdentity);
    }
    demandSight(given);
    return given;
  }

  /** Whether the caller owns an identity: it is theirs, or they are responsible for it. */
  @Transactional
  public boolean owns(UUID identity) {
    Optional<UUID> own = own();
    if (own.isEmpty() || identity == null) {
      return false;
    }
    if (own.get().equals(identity)) {
      return true;
    }
    IdentityRow self = identities.get(own.get());
    IdentityRow other = identities.get(identity);
    return other.kind == IdentityKind.SERVICE_ACCOUNT && other.responsible.equals(self.name);
  }

  /** Refuses whoever neither administers nor owns an identity. */
  @Transactional
  public void demandSight(UUID identity) {
    if (!caller.hasRole(Role.ADMINISTRATOR) && !owns(identity)) {
      throw notYours();
    }
  }

  /** Refuses whoever does not administer. */
  public void demandAdministrator() {
    if (!caller.hasRole(Role.ADMINISTRATOR)) {
      throw notYours();
    }
  }

  private static Problem noIdentity() {
    return Problem.invalid(
        "Your user belongs to no identity, so it is not clear whose key this is.",
        "Name the identity.");
  }

  /** That something belongs to somebody else. */
  public static Problem notYours() {
    return new Problem(
        403,
        "not-yours",
        "Not yours",
        "This belongs to another identity.",
        "Ask its owner, or an administrator.");
  }
}
