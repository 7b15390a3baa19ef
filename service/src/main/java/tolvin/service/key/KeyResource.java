package tolvin.service.key;

import jakarta.annotation.security.RolesAllowed;
import jakarta.transaction.Transactional;
import jakarta.ws.rs.DefaultValue;
import jakarta.ws.rs.GET;
import jakarta.ws.rs.POST;
import jakarta.ws.rs.Path;
import jakarta.ws.rs.QueryParam;
import java.time.Instant;
import java.util.List;
import java.util.Map;
import java.util.Objects;
import java.util.Optional;
import java.util.UUID;
import java.util.function.Function;
import java.util.stream.Collectors;
import tolvin.api.Page;
import tolvin.api.key.DependenceView;
import tolvin.api.key.DueView;
import tolvin.api.key.KeyRequest;
import tolvin.api.key.KeyUseView;
import tolvin.api.key.KeyView;
import tolvin.core.key.PublicBlob;
import tolvin.core.schedule.Cadence;
import tolvin.service.record.account.AccountStore;
import tolvin.service.record.destination.DestinationStore;
import tolvin.service.record.identity.IdentityRow;
import tolvin.service.record.identity.IdentityStore;
import tolvin.service.record.key.KeyRow;
import tolvin.service.record.key.KeyStore;
import tolvin.service.record.usage.FeedStore;
import tolvin.service.schedule.DueDates;
import tolvin.service.web.Role;

/** Keys. */
@Path("/api/v1/keys")
@RolesAllowed(Role.ADMINISTRATOR)
public class KeyResource {
  private final Keys keys;
  private final KeyStore store;
  private final IdentityStore identities;
  private final FeedStore feeds;
  private final AccountStore accounts;
  private final DestinationStore destinations;
  private final DueDates dueDates;
  private final WithoutKey without;

  KeyResource(
      Keys keys,
      KeyStore store,
      IdentityStore identities,
      FeedStore feeds,
      AccountStore accounts,
      DestinationStore destinations,
      DueDates dueDates,
      WithoutKey without) {
    this.keys = keys;
    this.store = store;
    this.identities = identities;
    this.feeds = feeds;
    this.accounts = accounts;
    this.destinations = destinations;
    this.dueDates = dueDates;
    this.without = without;
  }

  /** Keys, the newest first. */
  @GET
  @Transactional
  public Page<KeyView> listKeys(
      @QueryParam("search") @DefaultValue("") String search,
      @QueryParam("identity") UUID identity,
      @QueryParam("ended") @DefaultValue("false") boolean ended,
      @QueryParam("after") UUID after,
      @QueryParam("limit") @DefaultValue("50") int limit) {
    Page<KeyRow> page = store.page(search, identity, ended, after, limit);
    Map<UUID, IdentityRow> names =
        identities
            .byIds(
                page.items().stream()
                    .map(k -> k.identityId)
                    .filter(Objects::nonNull)
                    .distinct()
                    .toList())
            .stream()
            .collect(Collectors.toMap(i -> i.id, Function.identity()));
    Map<String, Instant> used =
        feeds.lastUses(page.items().stream().map(k -> k.fingerprint).toList());
    Function<KeyRow, Optional<Cadence.Due>> due = dueDates.of(page.items());
    return page.map(row -> view(row, names, used, due.apply(row)));
  }

  /** One key. */
  @GET
  @Path("{id}")
  @Transactional
  public KeyView showKey(UUID id) {
    KeyRow row = store.get(id);
    Map<UUID, IdentityRow> names =
        identities.find(row.identityId).map(i -> Map.of(i.id, i)).orElse(Map.of());
    return view(row, names, feeds.lastUses(List.of(row.fingerprint)), dueDates.of(row));
  }

  /** Registers a key. */
  @POST
  @Transactional
  public KeyView addKey(KeyRequest request) {
    KeyRow row = store.get(keys.register(request).id);
    Map<UUID, IdentityRow> names =
        identities.find(row.identityId).map(i -> Map.of(i.id, i)).orElse(Map.of());
    return view(row, names, Map.of(), dueDates.of(row));
  }

  /**
   * What would break without this key: the clients that are on record, and others that were seen
   * with it lately.
   */
  @GET
  @Path("{id}/dependences")
  public List<DependenceView> listDependences(UUID id) {
    return without.key(id);
  }

  /** The uses of this key that destinations reported. */
  @GET
  @Path("{id}/uses")
  @Transactional
  public List<KeyUseView> listUses(UUID id) {
    return feeds.usesOf(store.get(id).fingerprint).stream()
        .map(
            use ->
                new KeyUseView(
                    destinations.nameOf(accounts.get(use.accountId)),
                    use.address,
                    use.firstAt,
                    use.latest,
                    use.count))
        .toList();
  }

  private static KeyView view(
      KeyRow row,
      Map<UUID, IdentityRow> names,
      Map<String, Instant> used,
      Optional<Cadence.Due> itsDue) {
    IdentityRow identity = row.identityId == null ? null : names.get(row.identityId);
    DueView due = itsDue.map(KeyResource::view).orElse(null);
    return new KeyView(
        row.id,
        row.fingerprint,
        row.md5,
        row.type,
        row.bits,
        row.application,
        row.comment,
        row.identityId,
        identity == null ? null : identity.name,
        identity == null ? null : identity.kind,
        identity == null ? null : identity.team,
        row.custody,
        row.madeAt,
        row.registeredAt,
        row.endedAt,
        row.endedBecause,
        used.get(row.fingerprint),
        due,
        PublicBlob.line(row.blob, row.comment));
  }

  private static DueView view(Cadence.Due due) {
    return new DueView(due.at(), due.startAt(), due.reason());
  }
}
