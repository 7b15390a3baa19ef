package tolvin.service.destination;

import jakarta.annotation.security.RolesAllowed;
import jakarta.transaction.Transactional;
import jakarta.ws.rs.Consumes;
import jakarta.ws.rs.GET;
import jakarta.ws.rs.POST;
import jakarta.ws.rs.Path;
import jakarta.ws.rs.QueryParam;
import jakarta.ws.rs.core.MediaType;
import java.nio.charset.StandardCharsets;
import java.time.Instant;
import java.time.ZoneId;
import java.util.List;
import java.util.Map;
import java.util.UUID;
import java.util.stream.Collectors;
import java.util.stream.Stream;
import tolvin.core.signin.LoggedLine;
import tolvin.service.people.Role;
import tolvin.service.rotation.Wakening;
import tolvin.service.store.ClockStore;
import tolvin.service.web.Checks;
import tolvin.service.web.Page;

/** Uses of keys, as the logs of destinations tell of them. */
@Path("/api/v1")
@RolesAllowed(Role.ADMINISTRATOR)
public class UseResource {
  private static final int MOST = 500;

  private final Uses uses;
  private final FeedStore feeds;
  private final AccountStore accounts;
  private final DestinationStore destinations;
  private final Wakening wakening;
  private final ClockStore clock;

  UseResource(
      Uses uses,
      FeedStore feeds,
      AccountStore accounts,
      DestinationStore destinations,
      Wakening wakening,
      ClockStore clock) {
    this.uses = uses;
    this.feeds = feeds;
    this.accounts = accounts;
    this.destinations = destinations;
    this.wakening = wakening;
    this.clock = clock;
  }

  /**
   * The uses of one key on one account from one address.
   *
   * @param account the login
   * @param known whether the account is in the books
   * @param address from where; a dash if the destination does not say
   * @param lastAt when it was used last
   * @param readIn whether only a file that a person read in says so
   */
  public record UseSeen(
      String account,
      boolean known,
      String key,
      String address,
      Instant firstAt,
      Instant lastAt,
      long count,
      boolean readIn) {}

  /**
   * Where the logs of a destination say that keys were used, the accounts nobody knew first.
   *
   * @param account one account of it; all if absent
   */
  @GET
  @Path("destinations/{id}/uses")
  @Transactional
  public Page<UseSeen> listUsesAtDestination(UUID id, @QueryParam("account") UUID account) {
    destinations.get(id);
    List<UseRow> known = account == null ? feeds.usesAt(id, MOST) : feeds.uses(List.of(account));
    Map<UUID, String> logins =
        accounts.byIds(known.stream().map(u -> u.accountId).collect(Collectors.toSet())).stream()
            .collect(Collectors.toMap(a -> a.id, a -> a.login));
    Stream<UseSeen> elsewhere =
        account != null
            ? Stream.of()
            : feeds.usesElsewhere(id, MOST).stream()
                .map(
                    u ->
                        new UseSeen(
                            u.login,
                            false,
                            u.fingerprint,
                            u.address,
                            u.firstAt,
                            u.latest,
                            u.count,
                            false));
    return new Page<>(
        Stream.concat(
                elsewhere,
                known.stream()
                    .map(
                        u ->
                            new UseSeen(
                                logins.get(u.accountId),
                                true,
                                u.fingerprint,
                                u.address,
                                u.firstAt,
                                u.latest,
                                u.count,
                                u.readIn)))
            .toList(),
        null);
  }

  /**
   * Takes in lines of a destination's sign-in log, of whatever age; a line that was counted before
   * does not count again. Lines that tell of no sign-in with a key are passed over.
   *
   * @param zone in which the server tells times that name none, such as Europe/Oslo; UTC if absent
   */
  @POST
  @Path("destinations/{id}/uses")
  @Consumes(MediaType.APPLICATION_OCTET_STREAM)
  public TakenIn readUses(UUID id, @QueryParam("zone") String zone, byte[] log) {
    destinations.get(id);
    ZoneId told = Checks.zone(zone);
    Instant now = clock.now();
    List<LoggedLine> lines =
        new String(log, StandardCharsets.ISO_8859_1)
            .lines()
            .parallel() // each line is read by itself; their order stays
            .flatMap(line -> LoggedLine.read(line, now, told).stream())
            .toList();
    Uses.Taken taken = uses.take(id, lines, UseOrigin.READ_IN, now);
    if (taken.counted() > 0) {
      wakening.of(taken.accounts());
    }
    return new TakenIn(
        taken.counted(), taken.again(), taken.timeless(), taken.tooOld(), taken.unknownAccounts());
  }

  /**
   * What came of lines that were read in.
   *
   * @param counted uses that were counted
   * @param again lines that were counted before
   * @param timeless lines without a time, which could not be told from ones counted before
   * @param tooOld lines from before what is remembered
   * @param unknownAccounts uses on accounts that are not on record, counted too
   */
  public record TakenIn(
      long counted, long again, long timeless, long tooOld, long unknownAccounts) {}
}
