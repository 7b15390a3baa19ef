package tolvin.service.sweep;

import static tolvin.service.store.Transactions.inNewTransaction;

import jakarta.annotation.security.RolesAllowed;
import jakarta.transaction.Transactional;
import jakarta.ws.rs.DefaultValue;
import jakarta.ws.rs.GET;
import jakarta.ws.rs.POST;
import jakarta.ws.rs.Path;
import jakarta.ws.rs.QueryParam;
import jakarta.ws.rs.core.Context;
import jakarta.ws.rs.core.SecurityContext;
import java.util.UUID;
import tolvin.api.Page;
import tolvin.api.sweep.NotReadView;
import tolvin.api.sweep.SweepRequest;
import tolvin.api.sweep.SweepView;
import tolvin.service.record.account.AccountStore;
import tolvin.service.record.destination.DestinationStore;
import tolvin.service.record.sweep.SweepRow;
import tolvin.service.record.sweep.SweepStore;
import tolvin.service.web.Role;

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

  /** Sweeps, the newest first. */
  @GET
  @Transactional
  public Page<SweepView> listSweeps(
      @QueryParam("after") UUID after, @QueryParam("limit") @DefaultValue("20") int limit) {
    return store.page(after, limit).map(row -> view(row, 0));
  }

  /** One sweep. */
  @GET
  @Path("{id}")
  @Transactional
  public SweepView showSweep(UUID id) {
    return view(store.get(id), MOST_FAILURES);
  }

  /** Starts a sweep; one of the same that runs already is given back. */
  @POST
  public SweepView startSweep(SweepRequest request, @Context SecurityContext caller) {
    UUID at = request.destinationId();
    SweepView begun =
        inNewTransaction(() -> view(sweeps.start(at, caller.getUserPrincipal().getName()), 0));
    sweeper.wake(); // now that others see it
    return begun;
  }

  /** Ends a sweep before it is done; what was read stays. */
  @POST
  @Path("{id}/stop")
  @Transactional
  public SweepView stopSweep(UUID id) {
    return view(sweeps.stop(id), 0);
  }

  private SweepView view(SweepRow row, int failures) {
    SweepStore.Counts counts = store.counts(row);
    return new SweepView(
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
            .map(f -> new NotReadView(name(f.account()), f.reason()))
            .toList());
  }

  private String name(UUID account) {
    return accounts.find(account).map(destinations::nameOf).orElse("");
  }
}
