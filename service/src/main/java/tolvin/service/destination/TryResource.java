package tolvin.service.destination;

import jakarta.annotation.security.RolesAllowed;
import jakarta.transaction.Transactional;
import jakarta.ws.rs.GET;
import jakarta.ws.rs.POST;
import jakarta.ws.rs.Path;
import java.time.Instant;
import java.util.ArrayList;
import java.util.List;
import java.util.UUID;
import tolvin.service.integration.SeatStore;
import tolvin.service.people.Role;
import tolvin.service.web.Page;

/** Looking at destinations, their host keys, and trying them. */
@Path("/api/v1")
@RolesAllowed(Role.ADMINISTRATOR)
public class TryResource {
  private final Tries tries;
  private final HostKeys hostKeys;
  private final HealthLooks health;
  private final DestinationStore store;
  private final SeatStore seats;

  TryResource(
      Tries tries, HostKeys hostKeys, HealthLooks health, DestinationStore store, SeatStore seats) {
    this.tries = tries;
    this.hostKeys = hostKeys;
    this.health = health;
    this.store = store;
    this.seats = seats;
  }

  /**
   * What to try: an account's login, or where there are none a seat and the job that uses it.
   *
   * @param account the login of an account on record
   * @param seat the name of a credential
   * @param job the job that signs in with it
   */
  public record TryWish(String account, String seat, String job) {}

  /** A step of a try, and how it went. */
  public record TryStep(String step, boolean good, String said) {}

  /** What a try found. */
  public record TryView(boolean good, List<TryStep> steps) {}

  /**
   * A host key.
   *
   * @param state trusted, announced, ending, or seen; a key that was only seen is not accepted
   * @param acceptedUntil until when it is accepted, once its successor was announced
   * @param seenAt when the destination last showed it
   */
  public record HostKeyView(
      String fingerprint,
      String type,
      String line,
      String state,
      Instant acceptedUntil,
      Instant announcedAt,
      Instant seenAt) {}

  /** Fingerprints that somebody compared. */
  public record ConfirmWish(List<String> fingerprints, String reason) {}

  /**
   * A change of host keys to come.
   *
   * @param hostKeys the new ones, as public key lines
   * @param oldUntil until when the old ones are accepted
   */
  public record AnnounceWish(List<String> hostKeys, Instant oldUntil, String reason) {}

  /** How far a client's file of known hosts got a line. */
  public record SupplyView(
      UUID id, UUID seatId, String seat, String line, Instant doneAt, String reason) {}

  /** Tries a destination with a throw-away key. */
  @POST
  @Path("destinations/{id}/tries")
  public TryView addTry(UUID id, TryWish wish) {
    List<TryStep> steps =
        tries.run(id, wish).stream().map(s -> new TryStep(s.step(), s.good(), s.said())).toList();
    return new TryView(steps.stream().allMatch(TryStep::good), steps);
  }

  /** Looks at the destination now: reachable, let in, clock, host keys. */
  @POST
  @Path("destinations/{id}/looks")
  public Page<HostKeyView> addLook(UUID id) {
    health.look(id);
    return listHostKeys(id);
  }

  /** The host keys: those that are accepted, and those that were only seen. */
  @GET
  @Path("destinations/{id}/host-keys")
  @Transactional
  public Page<HostKeyView> listHostKeys(UUID id) {
    store.get(id);
    List<HostKeySeenRow> seen = store.hostKeysSeen(id);
    List<HostKeyView> views = new ArrayList<>();
    List<HostKeyRow> trusted = store.hostKeys(id);
    for (HostKeyRow row : trusted) {
      var key = Access.key(row.blob);
      views.add(
          new HostKeyView(
              row.fingerprint,
              key.type().label(),
              key.line(),
              row.acceptedUntil != null
                  ? "ending"
                  : row.announcedAt != null ? "announced" : "trusted",
              row.acceptedUntil,
              row.announcedAt,
              seen.stream()
                  .filter(s -> s.fingerprint.equals(row.fingerprint))
                  .map(s -> s.seenAt)
                  .findFirst()
                  .orElse(null)));
    }
    for (HostKeySeenRow row : seen) {
      if (trusted.stream().noneMatch(t -> t.fingerprint.equals(row.fingerprint))) {
        var key = Access.key(row.blob);
        views.add(
            new HostKeyView(
                row.fingerprint, key.type().label(), key.line(), "seen", null, null, row.seenAt));
      }
    }
    return new Page<>(views, null);
  }

  /** Trusts host keys that the destination shows, by the fingerprints that somebody compared. */
  @POST
  @Path("destinations/{id}/host-keys/confirm")
  @Transactional
  public Page<HostKeyView> confirmHostKeys(UUID id, ConfirmWish wish) {
    hostKeys.confirm(id, wish.fingerprints(), wish.reason());
    return listHostKeys(id);
  }

  /** Takes in that host keys are going to change; clients are told before it happens. */
  @POST
  @Path("destinations/{id}/host-keys/announce")
  @Transactional
  public Page<HostKeyView> announceHostKeys(UUID id, AnnounceWish wish) {
    hostKeys.announce(id, wish.hostKeys(), wish.oldUntil(), wish.reason());
    return listHostKeys(id);
  }

  /** How far the clients were told of the host keys. */
  @GET
  @Path("destinations/{id}/host-keys/supplies")
  @Transactional
  public Page<SupplyView> listSupplies(UUID id) {
    return new Page<>(
        store.supplies(id).stream()
            .map(
                s ->
                    new SupplyView(
                        s.id, s.seatId, seats.get(s.seatId).path, s.line, s.doneAt, s.reason))
            .toList(),
        null);
  }
}
