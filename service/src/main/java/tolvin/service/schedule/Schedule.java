package tolvin.service.schedule;

import jakarta.enterprise.context.ApplicationScoped;
import jakarta.transaction.Transactional;
import java.time.Duration;
import java.time.Instant;
import java.time.ZoneId;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Objects;
import java.util.Optional;
import java.util.UUID;
import org.eclipse.microprofile.config.inject.ConfigProperty;
import tolvin.api.schedule.FreezeRequest;
import tolvin.core.estate.Freeze;
import tolvin.core.rulebook.Rulebook;
import tolvin.core.schedule.Cadence;
import tolvin.service.journal.Journal;
import tolvin.service.problem.Checks;
import tolvin.service.problem.Problem;
import tolvin.service.record.identity.IdentityRow;
import tolvin.service.record.identity.IdentityStore;
import tolvin.service.record.key.KeyRow;
import tolvin.service.record.schedule.FreezeRow;
import tolvin.service.record.schedule.FreezeStore;
import tolvin.service.rulebook.Judgements;
import tolvin.service.rulebook.Rulebooks;
import tolvin.service.store.ClockStore;

/** Says when keys are due and when nothing may be changed. */
@ApplicationScoped
public class Schedule {
  private final Rulebooks rulebooks;
  private final FreezeStore freezes;
  private final IdentityStore identities;
  private final ClockStore clock;
  private final Journal journal;
  private final ZoneId zone;

  Schedule(
      Rulebooks rulebooks,
      FreezeStore freezes,
      IdentityStore identities,
      ClockStore clock,
      Journal journal,
      @ConfigProperty(name = "tolvin.time-zone") String zone) {
    this.rulebooks = rulebooks;
    this.freezes = freezes;
    this.identities = identities;
    this.clock = clock;
    this.journal = journal;
    this.zone = ZoneId.of(zone);
  }

  /**
   * The cadence of one key, found once for many.
   *
   * @param cadence the cadence itself
   * @param watch how long an old key under it is watched at least
   */
  public record Found(Cadence cadence, Duration watch) {}

  /**
   * The cadence for an identity's keys: its own rule first, then its kind's, lowest number first.
   */
  @Transactional
  public Optional<Found> cadence(UUID identityId) {
    if (identityId == null) {
      return Optional.empty();
    }
    return found(rulebooks.current().rulebook(), identities.get(identityId));
  }

  /** The cadences of many identities at once. */
  Map<UUID, Found> cadences(List<UUID> ids) {
    Rulebook book = rulebooks.current().rulebook();
    Map<UUID, Found> cadences = new HashMap<>();
    identities
        .byIds(ids.stream().filter(Objects::nonNull).distinct().toList())
        .forEach(i -> found(book, i).ifPresent(found -> cadences.put(i.id, found)));
    return cadences;
  }

  private static Optional<Found> found(Rulebook book, IdentityRow identity) {
    return book.cadence(Judgements.holder(identity))
        .map(c -> new Found(new Cadence(c.number(), c.name(), c.every(), c.lead()), c.watch()));
  }

  /** When a key is due by a cadence. */
  Cadence.Due due(KeyRow key, Found found) {
    return found.cadence().due(key.madeAt, zone);
  }

  /** What due dates are worked out by now: another value means that they have to be again. */
  @Transactional
  public String inForce() {
    return rulebooks.current().number() + " " + zone.getId();
  }

  /** The freezes that are not over. */
  @Transactional
  public List<Freeze> freezes(Instant now) {
    return freezes.notOver(now).stream()
        .map(f -> new Freeze(f.fromAt, f.untilAt, f.reason))
        .toList();
  }

  @Transactional
  List<FreezeRow> freezeRows() {
    return freezes.notOver(clock.now());
  }

  @Transactional
  FreezeRow addFreeze(FreezeRequest request) {
    if (request.from() == null
        || request.until() == null
        || !request.from().isBefore(request.until())) {
      throw Problem.invalid(
          "A freeze needs a beginning and an end behind it.",
          "Give both in ISO 8601, such as 2026-12-20T00:00:00Z.");
    }
    FreezeRow row = new FreezeRow();
    row.fromAt = request.from();
    row.untilAt = request.until();
    row.reason = Checks.text(request.reason(), "reason");
    row.validFrom = clock.now();
    row.id = clock.id(row.validFrom);
    freezes.add(row);
    journal.write(
        "freeze.added",
        row.id,
        "Freeze from " + row.fromAt + " until " + row.untilAt + ": " + row.reason,
        Map.of());
    return row;
  }

  @Transactional
  void removeFreeze(UUID id) {
    FreezeRow row = freezes.get(id);
    if (row.validUntil == null) {
      row.validUntil = clock.now();
      journal.write("freeze.removed", id, "Freeze lifted: " + row.reason, Map.of());
    }
  }
}
