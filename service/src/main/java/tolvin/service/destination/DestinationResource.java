package tolvin.service.destination;

import jakarta.annotation.security.RolesAllowed;
import jakarta.transaction.Transactional;
import jakarta.ws.rs.Consumes;
import jakarta.ws.rs.DefaultValue;
import jakarta.ws.rs.GET;
import jakarta.ws.rs.HeaderParam;
import jakarta.ws.rs.PATCH;
import jakarta.ws.rs.POST;
import jakarta.ws.rs.Path;
import jakarta.ws.rs.Produces;
import jakarta.ws.rs.QueryParam;
import jakarta.ws.rs.core.MediaType;
import java.time.Duration;
import java.util.List;
import java.util.UUID;
import org.jboss.resteasy.reactive.RestResponse;
import tolvin.api.Page;
import tolvin.api.destination.DestinationChangeRequest;
import tolvin.api.destination.DestinationRequest;
import tolvin.api.destination.DestinationView;
import tolvin.api.destination.FamilyView;
import tolvin.api.destination.FeedView;
import tolvin.api.destination.HealthView;
import tolvin.api.destination.HostKeyChangeRequest;
import tolvin.core.people.TokenScope;
import tolvin.core.server.FilesScript;
import tolvin.service.problem.Problem;
import tolvin.service.record.account.AccountStore;
import tolvin.service.record.destination.DestinationRow;
import tolvin.service.record.destination.DestinationStore;
import tolvin.service.record.usage.FeedStore;
import tolvin.service.sheet.Sheets;
import tolvin.service.web.AsksForPassword;
import tolvin.service.web.Needs;
import tolvin.service.web.Role;

/** Destinations. */
@Path("/api/v1")
@RolesAllowed(Role.ADMINISTRATOR)
public class DestinationResource {
  private final Destinations destinations;
  private final HostKeyPins pins;
  private final FamilyDestinations families;
  private final DestinationStore store;
  private final AccountStore accounts;
  private final FeedStore feeds;
  private final Sheets sheets;
  private final KeysServers keysServers;

  DestinationResource(
      Destinations destinations,
      HostKeyPins pins,
      FamilyDestinations families,
      DestinationStore store,
      AccountStore accounts,
      FeedStore feeds,
      Sheets sheets,
      KeysServers keysServers) {
    this.destinations = destinations;
    this.pins = pins;
    this.families = families;
    this.store = store;
    this.accounts = accounts;
    this.feeds = feeds;
    this.sheets = sheets;
    this.keysServers = keysServers;
  }

  /** Destinations in force, the newest first. */
  @GET
  @Path("destinations")
  @Transactional
  public Page<DestinationView> listDestinations(
      @QueryParam("search") @DefaultValue("") String search,
      @QueryParam("after") UUID after,
      @QueryParam("limit") @DefaultValue("50") int limit) {
    return store.page(search, after, limit).map(this::view);
  }

  /** The script that a server without SFTP runs for Tolvin's login. */
  @GET
  @Path("files-script")
  @Produces(MediaType.TEXT_PLAIN)
  public String showFilesScript() {
    return FilesScript.TEXT;
  }

  /** One destination; its ETag goes into If-Match of a change. */
  @GET
  @Path("destinations/{id}")
  @Transactional
  public RestResponse<DestinationView> showDestination(UUID id) {
    return tagged(view(store.get(id)));
  }

  /** Attaches a destination. */
  @POST
  @Needs(TokenScope.ADMINISTER)
  @Path("destinations")
  @Transactional
  public DestinationView addDestination(DestinationRequest request) {
    return view(destinations.add(request));
  }

  /** Changes a destination. */
  @PATCH
  @Needs(TokenScope.ADMINISTER)
  @Path("destinations/{id}")
  @Consumes(MediaType.APPLICATION_JSON)
  @Transactional
  public RestResponse<DestinationView> changeDestination(
      UUID id, @HeaderParam("If-Match") String version, DestinationChangeRequest change) {
    if (version == null || !version.matches("\"\\d{1,9}\"")) {
      throw new Problem(
          428,
          "version-needed",
          "Version needed",
          "A change needs the header If-Match with the ETag of what you read.",
          "Read the destination first.");
    }
    int number = Integer.parseInt(version.replace("\"", ""));
    return tagged(view(destinations.change(id, number, change)));
  }

  /** Pins other host keys, after they were compared, and lets a stopped destination go on. */
  @POST
  @AsksForPassword
  @Needs(TokenScope.ADMINISTER)
  @Path("destinations/{id}/host-keys")
  @Transactional
  public DestinationView pinHostKeys(UUID id, HostKeyChangeRequest change) {
    return view(pins.replace(id, change.hostKeys(), change.reason()));
  }

  /** The families that Tolvin knows how to talk to by itself, and what each asks for. */
  @GET
  @Path("families")
  public List<FamilyView> listFamilies() {
    return families.all();
  }

  private RestResponse<DestinationView> tagged(DestinationView destination) {
    return RestResponse.ResponseBuilder.ok(destination)
        .header("ETag", "\"" + destination.version() + "\"")
        .build();
  }

  private DestinationView view(DestinationRow row) {
    return new DestinationView(
        row.id,
        row.name,
        row.family,
        row.host.isEmpty() ? null : row.host,
        row.host.isEmpty() ? null : row.port,
        store.hostKeys(row.id).stream().map(h -> h.fingerprint).toList(),
        row.managementLogin,
        row.keysPath,
        row.logPath,
        row.hasFiles() ? keysServers.view(row) : null,
        Duration.ofSeconds(row.propagationSeconds),
        row.connectionKey == null
            ? null
            : Access.key(row.connectionKey).line("tolvin for " + row.name),
        row.sheetId,
        row.hasSheet() ? sheets.of(row.sheetId).system() : null,
        row.address,
        row.settings,
        row.connectUser,
        row.secretEndsAt,
        row.testedAt,
        row.health == null ? null : health(row.health),
        row.stoppedBecause,
        feeds
            .find(row.id)
            .map(f -> new FeedView(f.readTo, f.unbrokenSince, f.failure))
            .orElse(null),
        name(row.routeId),
        name(row.signsInAtId),
        row.readsPerSecond,
        row.configPath,
        row.modePath,
        accounts.count(row.id),
        row.version);
  }

  private String name(UUID destination) {
    return store.find(destination).map(d -> d.name).orElse(null);
  }

  private static HealthView health(DestinationRow.Health health) {
    return new HealthView(
        health.at(),
        health.reachable(),
        health.secretGood(),
        health.tookMillis(),
        health.secretEnds(),
        health.clockAheadSeconds(),
        health.failure());
  }
}
