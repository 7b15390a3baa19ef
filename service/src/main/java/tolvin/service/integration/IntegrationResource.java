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
import java.time.Instant;
import java.util.List;
import java.util.UUID;
import tolvin.service.destination.AccountStore;
import tolvin.service.destination.DestinationStore;
import tolvin.service.destination.FeedStore;
import tolvin.service.people.Role;
import tolvin.service.web.Page;

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

  /**
   * An integration to add.
   *
   * @param importance low, normal or high
   */
  public record IntegrationWish(String name, String owner, String importance, String environment) {}

  /** An integration as it is shown. */
  public record Integration(
      UUID id,
      String name,
      String owner,
      String importance,
      String environment,
      List<SeatView> seats) {}

  /**
   * A seat to add: a private file on a host, or an entry of a credential store.
   *
   * @param hostId the SSH server or the system that it is on, attached as a destination
   * @param kind the kind of seat, where the sheet knows several
   * @param login the login through which Tolvin supplies a file
   * @param job the job that signs in with a credential; it is asked to, for a proof
   * @param path the private file, or the credential's name
   * @param address the address that the integration signs in from; for a credential it may be
   *     absent
   * @param morePaths further files that its client offers behind the first one, in their order
   * @param takesEffect when a new private half takes effect: next_sign_in, reload, restart, agent
   *     or by_hand; at the next sign-in if absent
   * @param effectCommand what is run on the host, by that login, to make it so
   * @param fallsBack whether its client goes on to the next key after a refusal; absent if nobody
   *     knows
   */
  public record SeatWish(
      UUID hostId,
      String kind,
      String login,
      String job,
      String path,
      String address,
      List<String> morePaths,
      String takesEffect,
      String effectCommand,
      Boolean fallsBack) {}

  /** What can be said of a seat anew; what is absent stays. */
  public record SeatChange(
      String address,
      List<String> morePaths,
      String takesEffect,
      String effectCommand,
      Boolean fallsBack) {}

  /**
   * A seat as it is shown.
   *
   * @param fallsBack whether its client goes on to the next key after a refusal, as somebody said
   * @param fallsBackSeenAt when it was seen to
   */
  public record SeatView(
      UUID id,
      UUID integrationId,
      String host,
      String kind,
      String login,
      String path,
      String address,
      String takesEffect,
      String effectCommand,
      List<String> morePaths,
      Boolean fallsBack,
      Instant fallsBackSeenAt,
      Instant effectAt,
      List<String> offers,
      List<String> keeps,
      Instant readAt) {}

  /**
   * A tie to add. Durations are ISO 8601.
   *
   * @param rhythm the longest silence that is normal
   * @param longestRun how long one connection may last
   */
  public record TieWish(UUID accountId, String rhythm, String longestRun) {}

  /**
   * What can be said of a tie anew; what is absent stays.
   *
   * @param forgetLearned whether to forget how its client was seen to behave
   */
  public record TieChange(String rhythm, String longestRun, Boolean forgetLearned) {}

  /**
   * A tie as it is shown.
   *
   * @param rhythmSeen the longest silence between two uses from the seat's address
   * @param longestRunSeen the longest that a connection from there lasted; absent if no end was
   *     told
   */
  public record TieView(
      UUID id,
      UUID seatId,
      UUID accountId,
      String integration,
      String seat,
      String account,
      Duration rhythm,
      Duration longestRun,
      Duration rhythmSeen,
      Duration longestRunSeen) {}

  /** Integrations in force, the newest first. */
  @GET
  @Path("integrations")
  @Transactional
  public Page<Integration> listIntegrations(
      @QueryParam("search") @DefaultValue("") String search,
      @QueryParam("after") UUID after,
      @QueryParam("limit") @DefaultValue("50") int limit) {
    return store.page(search, after, limit).map(this::view);
  }

  /** One integration. */
  @GET
  @Path("integrations/{id}")
  @Transactional
  public Integration showIntegration(UUID id) {
    return view(store.get(id));
  }

  /** Adds an integration. */
  @POST
  @Path("integrations")
  @Transactional
  public Integration addIntegration(IntegrationWish wish) {
    return view(integrations.add(wish));
  }

  /** Adds a seat to an integration. */
  @POST
  @Path("integrations/{id}/seats")
  @Transactional
  public SeatView addSeat(UUID id, SeatWish wish) {
    return view(integrations.addSeat(id, wish));
  }

  /**
   * A private half that a holder's client found on a machine that Tolvin does not reach.
   *
   * @param machine the machine's name
   * @param path the file
   * @param fingerprint the key in it, which must be registered
   * @param mode its permission bits in octal
   * @param encrypted whether it has a passphrase
   */
  public record FoundSeat(
      String machine, String path, String fingerprint, String mode, boolean encrypted) {}

  /** What was found, for an integration or for the caller's own machine. */
  public record FoundWish(UUID integrationId, List<FoundSeat> seats) {}

  /**
   * Records seats that a holder's client found; those that are known already are brought up to
   * date.
   */
  @POST
  @Path("seats/found")
  @RolesAllowed({Role.ADMINISTRATOR, Role.SELF})
  @Transactional
  public Page<SeatView> addFoundSeats(FoundWish wish) {
    return new Page<>(found.record(wish).stream().map(this::view).toList(), null);
  }

  /** Seats in force. */
  @GET
  @Path("seats")
  @Transactional
  public Page<SeatView> listSeats() {
    return new Page<>(seats.inForce().stream().map(this::view).toList(), null);
  }

  /** Changes what was said of a seat. */
  @PATCH
  @Path("seats/{id}")
  @Consumes(MediaType.APPLICATION_JSON)
  @Transactional
  public SeatView changeSeat(UUID id, SeatChange change) {
    return view(integrations.changeSeat(id, change));
  }

  /** Changes what was said of a tie. */
  @PATCH
  @Path("ties/{id}")
  @Consumes(MediaType.APPLICATION_JSON)
  @Transactional
  public TieView changeTie(UUID id, TieChange change) {
    return view(integrations.changeTie(id, change));
  }

  /** Adds a tie to a seat. */
  @POST
  @Path("seats/{id}/ties")
  @Transactional
  public TieView addTie(UUID id, TieWish wish) {
    return view(integrations.addTie(id, wish));
  }

  /** Ties in force. */
  @GET
  @Path("ties")
  @Transactional
  public Page<TieView> listTies() {
    return new Page<>(seats.allTies().stream().map(this::view).toList(), null);
  }

  private Integration view(IntegrationRow row) {
    return new Integration(
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
        Duration.ofSeconds(row.rhythmSeconds),
        Duration.ofSeconds(row.longestRunSeconds),
        seen.longestGap(),
        seen.longestRun());
  }

  private TieSeen seen(SeatRow row) {
    return TieSeen.of(
        row,
        feeds.clients(seats.tiesOfSeats(List.of(row.id)).stream().map(t -> t.accountId).toList()));
  }
}
