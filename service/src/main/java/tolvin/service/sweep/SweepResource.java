package tolvin.service.sweep;

import static tolvin.service.store.Transactions.inside;

import jakarta.annotation.security.RolesAllowed;
import jakarta.transaction.Transactional;
import jakarta.ws.rs.DefaultValue;
import jakarta.ws.rs.GET;
import jakarta.ws.rs.POST;
import jakarta.ws.rs.Path;
import jakarta.ws.rs.QueryParam;
import jakarta.ws.rs.core.Context;
import jakarta.ws.rs.core.SecurityContext;
import java.time.Instant;
import java.util.List;
import java.util.UUID;
import tolvin.service.destination.AccountStore;
import tolvin.service.destination.DestinationStore;
import tolvin.service.people.Role;
import tolvin.service.web.Page;

/** Sweeps. */
@Path("/api/v1/sweeps")
@RolesAllowed(Role.ADMINISTRATOR)
public class SweepResource {
  private static final int MOST_FAILURES = 50;

  private final Sweeps sweeps;
  private final Sweeper sweeper;
  private final SweepStore store;
  private final AccountStore accounts;
  private final DestinationStore destinations;

  SweepResource(
      Sweeps sweeps,
      Sweeper sweeper,
      SweepStore store,
      AccountStore accounts,
      DestinationStore destinations) {
    this.sweeps = sweeps;
    this.sweeper = sweeper;
    this.store = store;
    this.accounts = accounts;
    this.destinations = destinations;
  }

  /** What is to be swept; without a destination all are. */
  public record SweepWish(UUID destinationId) {}

  /** An account that could not be read. */
  public record NotRead(String account, String reason) {}

  /**
   * A sweep.
   *
   * @param destination what is swept; absent for all
   * @param state running, done or stopped
   * @param due how many accounts are still to be read
   * @param read how many were read
   * @param failed how many could not be read
   * @param failures the first of those, with the reason
   */
  public record Sweep(
      UUID id,
      String destination,
      String state,
      String startedBy,
      Instant startedAt,
      Instant endedAt,
      int due,
      int read,
      int failed,
      List<NotRead> failures) {}

  /** Sweeps, the newest first. */
  @GET
  @Transactional
  public Page<Sweep> listSweeps(
      @QueryParam("after") UUID after, @QueryParam("limit") @DefaultValue("20") int limit) {
    return store.page(after, limit).map(row -> view(row, 0));
  }

  /** One sweep. */
  @GET
  @Path("{id}")
  @Transactional
  public Sweep showSweep(UUID id) {
    return view(store.get(id), MOST_FAILURES);
  }

  /** Starts a sweep; one of the same that runs already is given back. */
  @POST
  public Sweep startSweep(SweepWish wish, @Context SecurityContext caller) {
    UUID at = wish == null ? null : wish.destinationId();
    Sweep begun = inside(() -> view(sweeps.start(at, caller.getUserPrincipal().getName()), 0));
    sweeper.wake(); // now that others see it
    return begun;
  }

  /** Ends a sweep before it is done; what was read stays. */
  @POST
  @Path("{id}/stop")
  @Transactional
  public Sweep stopSweep(UUID id) {
    return view(sweeps.stop(id), 0);
  }

  private Sweep view(SweepRow row, int failures) {
    SweepStore.Counts counts = store.counts(row);
    return new Sweep(
        row.id,
        destinations.find(row.destinationId).map(d -> d.name).orElse(null),
        row.state,
        row.startedBy,
        row.startedAt,
        row.endedAt,
        counts.due(),
        counts.read(),
        counts.failed(),
        store.failures(row.id, failures).stream()
            .map(f -> new NotRead(name(f.account()), f.reason()))
            .toList());
  }

  private String name(UUID account) {
    return accounts.find(account).map(destinations::nameOf).orElse("");
  }
}
