package tolvin.service.integration;

import jakarta.annotation.security.RolesAllowed;
import jakarta.transaction.Transactional;
import jakarta.ws.rs.Consumes;
import jakarta.ws.rs.DefaultValue;
import jakarta.ws.rs.GET;
import jakarta.ws.rs.PATCH;
import jakarta.ws.rs.POST;
import jakarta.ws.rs.Path;
import jakarta.ws.rs.QueryParam;
import jakarta.ws.rs.core.MediaType;
import java.time.Duration;
import java.util.List;
import java.util.UUID;
import tolvin.api.Page;
import tolvin.api.integration.FoundSeatsRequest;
import tolvin.api.integration.IntegrationRequest;
import tolvin.api.integration.IntegrationView;
import tolvin.api.integration.SeatChangeRequest;
import tolvin.api.integration.SeatRequest;
import tolvin.api.integration.SeatView;
import tolvin.api.integration.TieChangeRequest;
import tolvin.api.integration.TieRequest;
import tolvin.api.integration.TieView;
import tolvin.service.record.account.AccountStore;
import tolvin.service.record.destination.DestinationStore;
import tolvin.service.record.integration.IntegrationRow;
import tolvin.service.record.integration.IntegrationStore;
import tolvin.service.record.integration.SeatRow;
import tolvin.service.record.integration.SeatStore;
import tolvin.service.record.integration.TieRow;
import tolvin.service.record.usage.FeedStore;
import tolvin.service.snapshot.TieSeen;
import tolvin.service.web.Role;

/** Integrations, seats and ties. */
@Path("/api/v1")
@RolesAllowed(Role.ADMINISTRATOR)
public class IntegrationResource {
  private final Integrations integrations;
  private final FoundSeats found;
  private final IntegrationStore store;
  private final SeatStore seats;
  private final AccountStore accounts;
  private final DestinationStore destinations;
  private final FeedStore feeds;

  IntegrationResource(
      Integrations integrations,
      FoundSeats found,
      IntegrationStore store,
      SeatStore seats,
      AccountStore accounts,
      DestinationStore destinations,
      FeedStore feeds) {
    this.integrations = integrations;
    this.found = found;
    this.store = store;
    this.seats = seats;
    this.accounts = accounts;
    this.destinations = destinations;
    this.feeds = feeds;
  }

  /** Integrations in force, the newest first. */
  @GET
  @Path("integrations")
  @Transactional
  public Page<IntegrationView> listIntegrations(
      @QueryParam("search") @DefaultValue("") String search,
      @QueryParam("after") UUID after,
      @QueryParam("limit") @DefaultValue("50") int limit) {
    return store.page(search, after, limit).map(this::view);
  }

  /** One integration. */
  @GET
  @Path("integrations/{id}")
  @Transactional
  public IntegrationView showIntegration(UUID id) {
    return view(store.get(id));
  }

  /** Adds an integration. */
  @POST
  @Path("integrations")
  @Transactional
  public IntegrationView addIntegration(IntegrationRequest request) {
    return view(integrations.add(request));
  }

  /** Adds a seat to an integration. */
  @POST
  @Path("integrations/{id}/seats")
  @Transactional
  public SeatView addSeat(UUID id, SeatRequest request) {
    return view(integrations.addSeat(id, request));
  }

  /**
   * Records seats that a holder's client found; those that are known already are brought up to
   * date.
   */
  @POST
  @Path("seats/found")
  @RolesAllowed({Role.ADMINISTRATOR, Role.SELF})
  @Transactional
  public Page<SeatView> addFoundSeats(FoundSeatsRequest request) {
    return new Page<>(found.record(request).stream().map(this::view).toList(), null);
  }

  /** Seats in force, the newest first; of one account, or all. */
  @GET
  @Path("seats")
  @Transactional
  public Page<SeatView> listSeats(
      @QueryParam("account") UUID account,
      @QueryParam("after") UUID after,
      @QueryParam("limit") @DefaultValue("50") int limit) {
    return seats.page(account, after, limit).map(this::view);
  }

  /** Changes what was said of a seat. */
  @PATCH
  @Path("seats/{id}")
  @Consumes(MediaType.APPLICATION_JSON)
  @Transactional
  public SeatView changeSeat(UUID id, SeatChangeRequest change) {
    return view(integrations.changeSeat(id, change));
  }

  /** Changes what was said of a tie. */
  @PATCH
  @Path("ties/{id}")
  @Consumes(MediaType.APPLICATION_JSON)
  @Transactional
  public TieView changeTie(UUID id, TieChangeRequest change) {
    return view(integrations.changeTie(id, change));
  }

  /** Adds a tie to a seat. */
  @POST
  @Path("seats/{id}/ties")
  @Transactional
  public TieView addTie(UUID id, TieRequest request) {
    return view(integrations.addTie(id, request));
  }

  /** Ties in force, the newest first; of one account, or all. */
  @GET
  @Path("ties")
  @Transactional
  public Page<TieView> listTies(
      @QueryParam("account") UUID account,
      @QueryParam("after") UUID after,
      @QueryParam("limit") @DefaultValue("50") int limit) {
    return seats.ties(account, after, limit).map(this::view);
  }

  private IntegrationView view(IntegrationRow row) {
    return new IntegrationView(
        row.id,
        row.name,
        row.owner,
        row.importance,
        row.environment,
        store.seatsOf(row.id).stream().map(this::view).toList());
  }

  private SeatView view(SeatRow row) {
    return new SeatView(
        row.id,
        row.integrationId,
        row.machine == null ? destinations.get(row.destinationId).name : row.machine,
        row.kind,
        row.login,
        row.path,
        row.address,
        row.takesEffect,
        row.effectCommand,
        row.morePaths,
        row.fallsBack,
        seen(row).fellBackAt(),
        row.effectAt,
        row.offers,
        row.keeps,
        row.readAt);
  }

  private TieView view(TieRow row) {
    SeatRow seat = seats.get(row.seatId);
    TieSeen seen = TieSeen.of(seat, feeds.clients(List.of(row.accountId)));
    return new TieView(
        row.id,
        row.seatId,
        row.accountId,
        store.get(seat.integrationId).name,
        seat.path,
        destinations.nameOf(accounts.get(row.accountId)),
        Duration.ofSeconds(row.expectedIntervalSeconds),
        Duration.ofSeconds(row.longestSessionSeconds),
        seen.longestGap(),
        seen.longestSession());
  }

  private TieSeen seen(SeatRow row) {
    return TieSeen.of(
        row,
        feeds.clients(seats.tiesOfSeats(List.of(row.id)).stream().map(t -> t.accountId).toList()));
  }
}
