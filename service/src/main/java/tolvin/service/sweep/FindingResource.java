package tolvin.service.sweep;

import jakarta.annotation.security.RolesAllowed;
import jakarta.transaction.Transactional;
import jakarta.ws.rs.DefaultValue;
import jakarta.ws.rs.GET;
import jakarta.ws.rs.POST;
import jakarta.ws.rs.Path;
import jakarta.ws.rs.QueryParam;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.List;
import java.util.UUID;
import tolvin.api.Page;
import tolvin.api.sweep.FindingGroupView;
import tolvin.api.sweep.FindingView;
import tolvin.api.sweep.SettlingRequest;
import tolvin.api.sweep.SettlingStepView;
import tolvin.core.people.TokenScope;
import tolvin.core.sweep.Action;
import tolvin.core.sweep.FindingKind;
import tolvin.core.sweep.FindingState;
import tolvin.core.sweep.Severity;
import tolvin.service.record.account.AccountStore;
import tolvin.service.record.destination.DestinationStore;
import tolvin.service.record.identity.IdentityRow;
import tolvin.service.record.sweep.FindingRow;
import tolvin.service.record.sweep.FindingStore;
import tolvin.service.store.ClockStore;
import tolvin.service.web.Needs;
import tolvin.service.web.Role;

/** Findings, and the actions that settle them. */
@Path("/api/v1/findings")
@RolesAllowed(Role.ADMINISTRATOR)
public class FindingResource {
  private final Findings findings;
  private final FindingStore store;
  private final AccountStore accounts;
  private final DestinationStore destinations;
  private final Adoption adoption;
  private final ClockStore clock;

  FindingResource(
      Findings findings,
      FindingStore store,
      AccountStore accounts,
      DestinationStore destinations,
      Adoption adoption,
      ClockStore clock) {
    this.findings = findings;
    this.store = store;
    this.accounts = accounts;
    this.destinations = destinations;
    this.adoption = adoption;
    this.clock = clock;
  }

  /** Findings, the worst first, and of those the newest. */
  @GET
  @Transactional
  public Page<FindingView> listFindings(
      @QueryParam("state") @DefaultValue("open") FindingState state,
      @QueryParam("destination") UUID destination,
      @QueryParam("account") UUID account,
      @QueryParam("kind") FindingKind kind,
      @QueryParam("severity") Severity severity,
      @QueryParam("search") String search,
      @QueryParam("after") UUID after,
      @QueryParam("limit") @DefaultValue("50") int limit) {
    return store
        .page(
            new FindingStore.Wanted(state, destination, account, kind, severity, search),
            clock.now(),
            after,
            limit)
        .map(this::view);
  }

  /** How many findings there are of each kind, the worst first. */
  @GET
  @Path("groups")
  @Transactional
  public List<FindingGroupView> groupFindings(
      @QueryParam("state") @DefaultValue("open") FindingState state,
      @QueryParam("destination") UUID destination,
      @QueryParam("search") String search) {
    List<FindingGroupView> groups = new ArrayList<>();
    store
        .groups(new FindingStore.Wanted(state, destination, null, null, null, search), clock.now())
        .forEach(
            g ->
                groups.add(
                    new FindingGroupView(g.kind(), g.kind().title(), g.severity(), g.count())));
    groups.sort(
        Comparator.comparing(FindingGroupView::severity).thenComparing(FindingGroupView::kind));
    return groups;
  }

  /** One finding. */
  @GET
  @Path("{id}")
  @Transactional
  public FindingView showFinding(UUID id) {
    return view(store.get(id));
  }

  /** What settling some findings would do, without doing it. */
  @POST
  @Needs(TokenScope.READ)
  @Path("preview")
  public List<SettlingStepView> previewSettling(SettlingRequest settling) {
    return findings.preview(settling);
  }

  /** Settles findings; each step says what was done, or why not. */
  @POST
  @Path("settle")
  public List<SettlingStepView> settleFindings(SettlingRequest settling) {
    return findings.settle(settling);
  }

  private FindingView view(FindingRow row) {
    FindingKind kind = row.kind;
    String destination = destinations.get(row.destinationId).name;
    return new FindingView(
        row.id,
        row.kind,
        kind.title(),
        row.severity,
        row.destinationId,
        destination,
        row.accountId,
        accounts.find(row.accountId).map(a -> a.login + "@" + destination).orElse(null),
        row.fingerprint,
        row.sentence,
        row.evidence,
        row.remedy,
        kind.actions(),
        kind.actions().contains(Action.ADOPT)
            ? adoption.suggestion(row.evidence).map((IdentityRow i) -> i.name).orElse(null)
            : null,
        row.firstSeenAt,
        row.seenAt,
        row.cameBack,
        row.acceptedUntil,
        row.acceptedBecause,
        row.settledAt,
        row.settledBy,
        row.settledBecause);
  }
}
