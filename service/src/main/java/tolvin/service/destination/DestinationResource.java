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
import jakarta.ws.rs.QueryParam;
import jakarta.ws.rs.core.MediaType;
import java.time.Duration;
import java.time.Instant;
import java.util.List;
import java.util.Map;
import java.util.UUID;
import org.jboss.resteasy.reactive.RestResponse;
import tolvin.core.estate.Registered;
import tolvin.service.people.Role;
import tolvin.service.sheet.Sheets;
import tolvin.service.web.Page;
import tolvin.service.web.Problem;

/** Destinations and their accounts. */
@Path("/api/v1")
@RolesAllowed(Role.ADMINISTRATOR)
public class DestinationResource {
  private final Destinations destinations;
  private final DestinationStore store;
  private final AccountStore accounts;
  private final FeedStore feeds;
  private final Sheets sheets;

  DestinationResource(
      Destinations destinations,
      DestinationStore store,
      AccountStore accounts,
      FeedStore feeds,
      Sheets sheets) {
    this.destinations = destinations;
    this.store = store;
    this.accounts = accounts;
    this.feeds = feeds;
    this.sheets = sheets;
  }

  /**
   * A destination to attach.
   *
   * @param family sftp_server, key_repository, directory or partner; absent where a sheet says it
   * @param hostKeys its host keys as public key lines, compared with its administrator; without
   *     them the destination is stopped until one that it shows was compared
   * @param managementLogin the login that may write every account's keys; absent if each account's
   *     own login is used
   * @param keysPath the file of an account's keys; {@code {login}} stands for the account's login
   * @param logPath the sign-in log, absent if it cannot be read
   * @param propagation how long a change takes to be everywhere, in ISO 8601
   * @param sheetId the sheet that describes it; absent for SSH servers
   * @param address the base of all requests, or the database's URL
   * @param settings what the sheet wants to be told
   * @param user as whom Tolvin connects
   * @param secret with what; it is kept in the coffer and never shown
   * @param secretEndsAt when the secret ends, if that is known
   * @param routeId the jump host that it is reached through; absent if it is reached directly
   * @param routeLogin Tolvin's login on the jump host
   * @param signsInAtId the SSH server that takes its accounts' keys from there
   * @param readsPerSecond how many accounts a sweep reads there in a second, at most; 20 if absent
   * @param configPath the SSH server's configuration, if Tolvin may read it
   * @param modePath where an account's sign-in mode is written, with {@code {login}} in it
   * @param reloadCommand what makes the server read its configuration again
   */
  public record DestinationWish(
      String name,
      String family,
      String host,
      Integer port,
      List<String> hostKeys,
      String managementLogin,
      String keysPath,
      String logPath,
      String propagation,
      UUID sheetId,
      String address,
      Map<String, String> settings,
      String user,
      String secret,
      Instant secretEndsAt,
      UUID routeId,
      String routeLogin,
      UUID signsInAtId,
      Integer readsPerSecond,
      String configPath,
      String modePath,
      String reloadCommand) {

    /** An SSH server of which only name and address are known. */
    static DestinationWish server(String name, String host, Integer port) {
      return new DestinationWish(
          name,
          "sftp_server",
          host,
          port,
          null,
          null,
          null,
          null,
          null,
          null,
          null,
          null,
          null,
          null,
          null,
          null,
          null,
          null,
          null,
          null,
          null,
          null);
    }

    /** Never shows the secret. */
    @Override
    public String toString() {
      return "destination " + name;
    }
  }

  /** What can be changed; what is absent stays, and an empty text takes a path out. */
  public record DestinationChange(
      String logPath,
      String propagation,
      String secret,
      Instant secretEndsAt,
      UUID signsInAtId,
      Integer readsPerSecond,
      String configPath,
      String modePath,
      String reloadCommand) {

    /** Never shows the secret. */
    @Override
    public String toString() {
      return "change of a destination";
    }
  }

  /** Host keys to pin in place of the ones that were pinned. */
  public record HostKeyChange(List<String> hostKeys, String reason) {}

  /** What is known of the feed of uses. */
  public record FeedView(Instant readTo, Instant unbrokenSince, String failure) {}

  /**
   * A destination as it is shown.
   *
   * @param tolvinKey the line with which Tolvin signs in there: put it into the management login's
   *     or the accounts' authorized_keys
   * @param stoppedBecause why nothing is done there, absent if all is well
   */
  public record Destination(
      UUID id,
      String name,
      String family,
      String host,
      Integer port,
      List<String> hostKeys,
      String managementLogin,
      String keysPath,
      String logPath,
      Duration propagation,
      String tolvinKey,
      UUID sheetId,
      String system,
      String address,
      Map<String, String> settings,
      String user,
      Instant secretEndsAt,
      Instant triedAt,
      DestinationRow.Health health,
      String stoppedBecause,
      FeedView feed,
      String route,
      String signsInAt,
      int readsPerSecond,
      String configPath,
      String modePath,
      long accounts,
      int version) {}

  /**
   * An account to add.
   *
   * @param kind the kind of account, where the sheet knows several
   * @param signInMode password, key, either or both
   * @param holds how many keys it can hold
   * @param identityId the person that the account belongs to; absent for service accounts
   * @param keptBy us, shared or source; us if absent
   * @param keptSource what the other source is
   * @param password for an account that wants a key and a password: what Tolvin tries it with; it
   *     is kept in the coffer and never shown
   */
  public record AccountWish(
      String login,
      String kind,
      String signInMode,
      Integer holds,
      UUID identityId,
      String keptBy,
      String keptSource,
      String password) {

    /** An account of which only the login is known. */
    static AccountWish named(String login) {
      return new AccountWish(login, null, null, 100, null, null, null, null);
    }

    /** Never shows the password. */
    @Override
    public String toString() {
      return "account " + login;
    }
  }

  /**
   * An entry found on an account.
   *
   * @param passedOver true if the destination passes it over, since it cannot read all of it; else
   *     absent
   */
  public record RegisteredView(
      String key,
      String line,
      String reference,
      String slot,
      Instant addedAt,
      Instant usedAt,
      Instant endsAt,
      Boolean passedOver) {

    static RegisteredView of(AccountRow.Entry entry) {
      boolean passedOver = Registered.PASSED_OVER.equals(entry.endsAt());
      return new RegisteredView(
          entry.key(),
          entry.line(),
          entry.reference(),
          entry.slot(),
          entry.addedAt(),
          entry.usedAt(),
          passedOver ? null : entry.endsAt(),
          passedOver ? true : null);
    }
  }

  /** An account as it is shown. */
  public record Account(
      UUID id,
      UUID destinationId,
      String destination,
      String login,
      String kind,
      String signInMode,
      int holds,
      UUID identityId,
      String keptBy,
      String keptSource,
      String modeSeen,
      Instant modeSeenAt,
      List<RegisteredView> registered,
      Instant readAt) {}

  /** Destinations in force, the newest first. */
  @GET
  @Path("destinations")
  @Transactional
  public Page<Destination> listDestinations(
      @QueryParam("search") @DefaultValue("") String search,
      @QueryParam("after") UUID after,
      @QueryParam("limit") @DefaultValue("50") int limit) {
    return store.page(search, after, limit).map(this::view);
  }

  /** One destination; its ETag goes into If-Match of a change. */
  @GET
  @Path("destinations/{id}")
  @Transactional
  public RestResponse<Destination> showDestination(UUID id) {
    return tagged(view(store.get(id)));
  }

  /** Attaches a destination. */
  @POST
  @Path("destinations")
  @Transactional
  public Destination addDestination(DestinationWish wish) {
    return view(destinations.add(wish));
  }

  /** Changes a destination. */
  @PATCH
  @Path("destinations/{id}")
  @Consumes(MediaType.APPLICATION_JSON)
  @Transactional
  public RestResponse<Destination> changeDestination(
      UUID id, @HeaderParam("If-Match") String version, DestinationChange change) {
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
  @Path("destinations/{id}/host-keys")
  @Transactional
  public Destination pinHostKeys(UUID id, HostKeyChange change) {
    return view(destinations.pin(id, change.hostKeys(), change.reason()));
  }

  /**
   * Accounts in force, of one destination or of all, the newest first.
   *
   * @param search a part of LOGIN@DESTINATION
   */
  @GET
  @Path("accounts")
  @Transactional
  public Page<Account> listAccounts(
      @QueryParam("destination") UUID destination,
      @QueryParam("search") @DefaultValue("") String search,
      @QueryParam("after") UUID after,
      @QueryParam("limit") @DefaultValue("100") int limit) {
    return accounts.page(destination, search, after, limit).map(this::view);
  }

  /** One account with what was found there last. */
  @GET
  @Path("accounts/{id}")
  @Transactional
  public Account showAccount(UUID id) {
    return view(accounts.get(id));
  }

  /**
   * What is known of an account and can be said anew; what is absent stays.
   *
   * @param keptBy us, shared or source
   * @param keptSource what the other source is
   * @param holds how many keys it can hold
   * @param identityId the person that it belongs to
   * @param password for an account that wants a key and a password; it is never shown
   */
  public record AccountChange(
      String keptBy, String keptSource, Integer holds, UUID identityId, String password) {

    /** Never shows the password. */
    @Override
    public String toString() {
      return "change of an account";
    }
  }

  /** Changes what is known of an account; nothing is changed on its destination. */
  @PATCH
  @Path("accounts/{id}")
  @Consumes(MediaType.APPLICATION_JSON)
  @Transactional
  public Account changeAccount(UUID id, AccountChange change) {
    return view(destinations.changeAccount(id, change));
  }

  /** Adds an account to a destination. */
  @POST
  @Path("destinations/{id}/accounts")
  @Transactional
  public Account addAccount(UUID id, AccountWish wish) {
    return view(destinations.addAccount(id, wish));
  }

  private RestResponse<Destination> tagged(Destination destination) {
    return RestResponse.ResponseBuilder.ok(destination)
        .header("ETag", "\"" + destination.version() + "\"")
        .build();
  }

  private Destination view(DestinationRow row) {
    return new Destination(
        row.id,
        row.name,
        row.family,
        row.host.isEmpty() ? null : row.host,
        row.host.isEmpty() ? null : row.port,
        store.hostKeys(row.id).stream().map(h -> h.fingerprint).toList(),
        row.managementLogin,
        row.keysPath,
        row.logPath,
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
        row.triedAt,
        row.health,
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

  private Account view(AccountRow row) {
    return new Account(
        row.id,
        row.destinationId,
        store.get(row.destinationId).name,
        row.login,
        row.kind,
        row.signInMode,
        row.holds,
        row.identityId,
        row.keptBy,
        row.keptSource,
        row.modeSeen,
        row.modeSeenAt,
        row.registered.stream().map(RegisteredView::of).toList(),
        row.readAt);
  }
}
