package tolvin.service.usage;

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
import tolvin.api.Page;
import tolvin.api.destination.ReadInView;
import tolvin.api.destination.UseView;
import tolvin.core.signin.LoggedLine;
import tolvin.service.job.Wakening;
import tolvin.service.problem.Checks;
import tolvin.service.record.account.AccountStore;
import tolvin.service.record.destination.DestinationStore;
import tolvin.service.record.usage.FeedStore;
import tolvin.service.record.usage.UseRow;
import tolvin.service.store.ClockStore;
import tolvin.service.web.Role;

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
   * Where the logs of a destination say that keys were used, the accounts nobody knew first.
   *
   * @param account one account of it; all if absent
   */
  @GET
  @Path("destinations/{id}/uses")
  @Transactional
  public Page<UseView> listUsesAtDestination(UUID id, @QueryParam("account") UUID account) {
    destinations.get(id);
    List<UseRow> known = account == null ? feeds.usesAt(id, MOST) : feeds.uses(List.of(account));
    Map<UUID, String> logins =
        accounts.byIds(known.stream().map(u -> u.accountId).collect(Collectors.toSet())).stream()
            .collect(Collectors.toMap(a -> a.id, a -> a.login));
    Stream<UseView> elsewhere =
        account != null
            ? Stream.of()
            : feeds.usesElsewhere(id, MOST).stream()
                .map(
                    u ->
                        new UseView(
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
                            new UseView(
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
  public ReadInView readUses(UUID id, @QueryParam("zone") String zone, byte[] log) {
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
    return new ReadInView(
        taken.counted(), taken.again(), taken.timeless(), taken.tooOld(), taken.unknownAccounts());
  }
}
