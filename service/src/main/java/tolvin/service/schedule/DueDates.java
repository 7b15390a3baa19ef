package tolvin.service.schedule;

import jakarta.enterprise.context.ApplicationScoped;
import jakarta.transaction.Transactional;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.UUID;
import java.util.function.Function;
import tolvin.core.schedule.Cadence;
import tolvin.service.record.key.KeyRow;
import tolvin.service.record.key.KeyStore;

/**
 * Keeps with every live key when it is due. The database forgets it when the key or its holder
 * changes, and another rulebook makes it old; then it is worked out again, a thousand keys at a
 * time.
 */
@ApplicationScoped
public class DueDates {
  private static final int AT_ONCE = 1000;

  private final Schedule schedule;
  private final KeyStore keys;

  DueDates(Schedule schedule, KeyStore keys) {
    this.schedule = schedule;
    this.keys = keys;
  }

  /**
   * Works out what is not known, for some keys.
   *
   * @return whether there may be more
   */
  @Transactional(Transactional.TxType.REQUIRES_NEW)
  public boolean workOut() {
    String by = schedule.inForce();
    List<KeyRow> unknown = keys.dueUnknown(by, AT_ONCE);
    Map<UUID, Schedule.Found> cadences =
        schedule.cadences(unknown.stream().map(k -> k.identityId).toList());
    Map<UUID, Optional<Cadence.Due>> due = new HashMap<>();
    for (KeyRow key : unknown) {
      due.put(
          key.id,
          Optional.ofNullable(cadences.get(key.identityId)).map(found -> schedule.due(key, found)));
    }
    keys.keepDue(due, by);
    return unknown.size() == AT_ONCE;
  }

  /** When a key is due, as it is kept or, where that is not known, as it is now. */
  @Transactional
  public Optional<Cadence.Due> of(KeyRow key) {
    return of(List.of(key)).apply(key);
  }

  /** Likewise for some keys; what is in force is asked for once. */
  @Transactional
  public Function<KeyRow, Optional<Cadence.Due>> of(List<KeyRow> keys) {
    String inForce = schedule.inForce();
    Map<UUID, Schedule.Found> cadences =
        schedule.cadences(
            keys.stream()
                .filter(key -> key.endedAt == null && !inForce.equals(key.dueBy))
                .map(key -> key.identityId)
                .toList());
    return key -> {
      if (key.endedAt != null) {
        return Optional.empty();
      }
      return inForce.equals(key.dueBy)
          ? Optional.ofNullable(key.dueAt)
              .map(at -> new Cadence.Due(at, key.dueStartAt, key.dueReason))
          : Optional.ofNullable(cadences.get(key.identityId))
              .map(found -> schedule.due(key, found));
    };
  }
}
