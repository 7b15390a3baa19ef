package tolvin.service.health;

import jakarta.annotation.security.RolesAllowed;
import jakarta.transaction.Transactional;
import jakarta.ws.rs.GET;
import jakarta.ws.rs.POST;
import jakarta.ws.rs.Path;
import java.util.ArrayList;
import java.util.List;
import java.util.UUID;
import tolvin.api.Page;
import tolvin.api.destination.AnnouncementRequest;
import tolvin.api.destination.ConfirmationRequest;
import tolvin.api.destination.HostKeyView;
import tolvin.api.destination.SupplyView;
import tolvin.api.destination.TestRequest;
import tolvin.api.destination.TestStepView;
import tolvin.api.destination.TestView;
import tolvin.core.people.TokenScope;
import tolvin.service.destination.Access;
import tolvin.service.hostkey.HostKeys;
import tolvin.service.record.destination.DestinationStore;
import tolvin.service.record.destination.HostKeyRow;
import tolvin.service.record.destination.HostKeySeenRow;
import tolvin.service.record.integration.SeatStore;
import tolvin.service.web.AsksForPassword;
import tolvin.service.web.Needs;
import tolvin.service.web.Role;

/** Looking at destinations, their host keys, and trying them. */
@Path("/api/v1")
@RolesAllowed(Role.ADMINISTRATOR)
public class ConnectionTestResource {
  private final ConnectionTests tests;
  private final HostKeys hostKeys;
  private final HealthLooks health;
  private final DestinationStore store;
  private final SeatStore seats;

  ConnectionTestResource(
      ConnectionTests tests,
      HostKeys hostKeys,
      HealthLooks health,
      DestinationStore store,
      SeatStore seats) {
    this.tests = tests;
    this.hostKeys = hostKeys;
    this.health = health;
    this.store = store;
    this.seats = seats;
  }

  /** Tests a destination with a throw-away key. */
  @POST
  @Path("destinations/{id}/tests")
  public TestView testDestination(UUID id, TestRequest request) {
    List<TestStepView> steps =
        tests.run(id, request).stream()
            .map(s -> new TestStepView(s.step(), s.good(), s.said()))
            .toList();
    return new TestView(steps.stream().allMatch(TestStepView::good), steps);
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
  @AsksForPassword
  @Needs(TokenScope.ADMINISTER)
  @Path("destinations/{id}/host-keys/confirm")
  @Transactional
  public Page<HostKeyView> confirmHostKeys(UUID id, ConfirmationRequest request) {
    hostKeys.confirm(id, request.fingerprints(), request.reason());
    return listHostKeys(id);
  }

  /** Takes in that host keys are going to change; clients are told before it happens. */
  @POST
  @Needs(TokenScope.ADMINISTER)
  @Path("destinations/{id}/host-keys/announce")
  @Transactional
  public Page<HostKeyView> announceHostKeys(UUID id, AnnouncementRequest request) {
    hostKeys.announce(id, request.hostKeys(), request.oldUntil(), request.reason());
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
