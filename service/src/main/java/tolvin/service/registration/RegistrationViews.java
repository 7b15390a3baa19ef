package tolvin.service.registration;

import jakarta.enterprise.context.ApplicationScoped;
import jakarta.transaction.Transactional;
import java.util.List;
import java.util.Map;
import java.util.Objects;
import java.util.UUID;
import java.util.function.Function;
import java.util.stream.Collectors;
import tolvin.api.Page;
import tolvin.api.registration.RegistrationLineView;
import tolvin.api.registration.RegistrationView;
import tolvin.core.registration.LineState;
import tolvin.service.record.account.AccountRow;
import tolvin.service.record.account.AccountStore;
import tolvin.service.record.destination.DestinationStore;
import tolvin.service.record.key.KeyRow;
import tolvin.service.record.key.KeyStore;
import tolvin.service.record.placement.PlacementRow;
import tolvin.service.record.placement.PlacementStore;
import tolvin.service.record.registration.RegistrationLineRow;
import tolvin.service.record.registration.RegistrationRow;
import tolvin.service.record.registration.RegistrationStore;

/** Shows registrations of many keys. */
@ApplicationScoped
class RegistrationViews {
  private final RegistrationStore store;
  private final KeyStore keys;
  private final AccountStore accounts;
  private final DestinationStore destinations;
  private final PlacementStore placements;

  RegistrationViews(
      RegistrationStore store,
      KeyStore keys,
      AccountStore accounts,
      DestinationStore destinations,
      PlacementStore placements) {
    this.store = store;
    this.keys = keys;
    this.accounts = accounts;
    this.destinations = destinations;
    this.placements = placements;
  }

  /** One with how many of its lines are how far. */
  @Transactional
  RegistrationView of(RegistrationRow row) {
    return of(row, store.counts(List.of(row.id)).getOrDefault(row.id, Map.of()));
  }

  /** A page of them. */
  @Transactional
  Page<RegistrationView> of(Page<RegistrationRow> page) {
    Map<UUID, Map<LineState, Long>> counts =
        store.counts(page.items().stream().map(r -> r.id).toList());
    return page.map(row -> of(row, counts.getOrDefault(row.id, Map.of())));
  }

  private static RegistrationView of(RegistrationRow row, Map<LineState, Long> counts) {
    Function<LineState, Long> count = state -> counts.getOrDefault(state, 0L);
    return new RegistrationView(
        row.id,
        row.state,
        row.atOnce,
        counts.values().stream().mapToLong(Long::longValue).sum(),
        count.apply(LineState.WAITING),
        count.apply(LineState.ON_ITS_WAY),
        count.apply(LineState.DONE),
        count.apply(LineState.THERE_ALREADY),
        count.apply(LineState.ASKED),
        count.apply(LineState.REFUSED),
        count.apply(LineState.FAILED),
        count.apply(LineState.CANCELLED),
        row.reason,
        row.ticket.isEmpty() ? null : row.ticket,
        row.begunBy,
        row.begunAt,
        row.endedAt);
  }

  /** Its lines with the names of their keys and accounts. */
  @Transactional
  List<RegistrationLineView> lines(List<RegistrationLineRow> rows) {
    Map<UUID, KeyRow> key =
        byId(keys.byIds(rows.stream().map(l -> l.keyId).collect(Collectors.toSet())), k -> k.id);
    Map<UUID, AccountRow> account =
        byId(
            accounts.byIds(rows.stream().map(l -> l.accountId).collect(Collectors.toSet())),
            a -> a.id);
    Map<UUID, PlacementRow> placement =
        byId(
            placements.byIds(
                rows.stream()
                    .map(l -> l.placementId)
                    .filter(Objects::nonNull)
                    .collect(Collectors.toSet())),
            p -> p.id);
    return rows.stream()
        .map(
            line ->
                new RegistrationLineView(
                    line.number,
                    line.keyId,
                    key.get(line.keyId).fingerprint,
                    line.accountId,
                    destinations.nameOf(account.get(line.accountId)),
                    line.title,
                    line.state,
                    line.reason,
                    line.placementId,
                    line.placementId == null ? null : placement.get(line.placementId).state,
                    line.changedAt))
        .toList();
  }

  private static <T> Map<UUID, T> byId(List<T> rows, Function<T, UUID> id) {
    return rows.stream().collect(Collectors.toMap(id, Function.identity()));
  }
}
