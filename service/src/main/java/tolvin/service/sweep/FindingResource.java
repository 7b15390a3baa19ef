package tolvin.service.sweep;

import jakarta.annotation.security.RolesAllowed;
import jakarta.transaction.Transactional;
import jakarta.ws.rs.DefaultValue;
import jakarta.ws.rs.GET;
import jakarta.ws.rs.POST;
import jakarta.ws.rs.Path;
import jakarta.ws.rs.QueryParam;
import java.time.Instant;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.List;
import java.util.UUID;
import tolvin.core.sweep.Deed;
import tolvin.core.sweep.FindingKind;
import tolvin.core.sweep.Severity;
import tolvin.service.destination.AccountStore;
import tolvin.service.destination.DestinationStore;
import tolvin.service.identity.IdentityRow;
import tolvin.service.people.Role;
import tolvin.service.store.ClockStore;
import tolvin.service.web.Checks;
import tolvin.service.web.Page;

/** Findings, and the deeds that settle them. */
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

  /**
   * A finding.
   *
   * @param kind its kind, a word
   * @param title the kind for people
   * @param severity broken, serious or untidy
   * @param wayOut what to do
   * @param deeds what settles it, the usual one first
   * @param suggestion whose the key may be, as its comment lets guess
   * @param cameBack how often it was settled before and found again
   */
  public record Finding(
      UUID id,
      String kind,
      String title,
      String severity,
      UUID destinationId,
      String destination,
      UUID accountId,
      String account,
      String key,
      String sentence,
      String evidence,
      String wayOut,
      List<String> deeds,
      String suggestion,
      Instant firstSeenAt,
      Instant seenAt,
      int cameBack,
      Instant acceptedUntil,
      String acceptedBecause,
      Instant settledAt,
      String settledBy,
      String settledBecause) {}

  /** How many findings there are of a kind. */
  public record FindingGroup(String kind, String title, String severity, long count) {}

  /** Findings, the worst first, and of those the newest. */
  @GET
  @Transactional
  public Page<Finding> listFindings(
      @QueryParam("state") @DefaultValue("open") String state,
      @QueryParam("destination") UUID destination,
      @QueryParam("account") UUID account,
      @QueryParam("kind") String kind,
      @QueryParam("severity") String severity,
      @QueryParam("search") String search,
      @QueryParam("after") UUID after,
      @QueryParam("limit") @DefaultValue("50") int limit) {
    return store
        .page(
            wanted(state, destination, account, kind, severity, search), clock.now(), after, limit)
        .map(this::view);
  }

  /** How many findings there are of each kind, the worst first. */
  @GET
  @Path("groups")
  @Transactional
  public List<FindingGroup> groupFindings(
      @QueryParam("state") @DefaultValue("open") String state,
      @QueryParam("destination") UUID destination,
      @QueryParam("search") String search) {
    List<FindingGroup> groups = new ArrayList<>();
    store
        .groups(wanted(state, destination, null, null, null, search), clock.now())
        .forEach(
            g ->
                groups.add(
                    new FindingGroup(
                        g.kind(), FindingKind.of(g.kind()).title(), g.severity(), g.count())));
    groups.sort(
        Comparator.comparing((FindingGroup g) -> rank(g.severity()))
            .thenComparing(FindingGroup::kind));
    return groups;
  }

  private static int rank(String severity) {
    return Severity.valueOf(severity.toUpperCase(java.util.Locale.ROOT)).ordinal();
  }

  private static FindingStore.Wanted wanted(
      String state, UUID destination, UUID account, String kind, String severity, String search) {
    return new FindingStore.Wanted(
        Checks.oneOf(state, List.of("open", "accepted", "settled"), "state"),
        destination,
        account,
        kind,
        severity,
        search);
  }

  /** One finding. */
  @GET
  @Path("{id}")
  @Transactional
  public Finding showFinding(UUID id) {
    return view(store.get(id));
  }

  /** What settling some findings would do, without doing it. */
  @POST
  @Path("preview")
  public List<Findings.Step> previewSettling(Findings.Settling settling) {
    return findings.preview(settling);
  }

  /** Settles findings; each step says what was done, or why not. */
  @POST
  @Path("settle")
  public List<Findings.Step> settleFindings(Findings.Settling settling) {
    return findings.settle(settling);
  }

  private Finding view(FindingRow row) {
    FindingKind kind = row.kind();
    String destination = destinations.get(row.destinationId).name;
    return new Finding(
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
        row.wayOut,
        kind.deeds().stream().map(Deed::word).toList(),
        kind.deeds().contains(Deed.ADOPT)
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
