package tolvin.service.schedule;

import jakarta.enterprise.context.ApplicationScoped;
import jakarta.transaction.Transactional;
import java.time.Duration;
import java.time.Instant;
import java.time.ZoneId;
import java.util.Comparator;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.UUID;
import org.eclipse.microprofile.config.inject.ConfigProperty;
import tolvin.core.estate.Freeze;
import tolvin.core.schedule.Cadence;
import tolvin.service.identity.IdentityRow;
import tolvin.service.identity.IdentityStore;
import tolvin.service.journal.Journal;
import tolvin.service.key.KeyRow;
import tolvin.service.store.ClockStore;
import tolvin.service.web.Checks;
import tolvin.service.web.Problem;

/** Says when keys are due and when nothing may be changed. */
@ApplicationScoped
public class Schedule {
  private static final Duration SHORTEST = Duration.ofSeconds(10);

  private final CadenceStore cadences;
  private final FreezeStore freezes;
  private final IdentityStore identities;
  private final ClockStore clock;
  private final Journal journal;
  private final ZoneId zone;

  Schedule(
      CadenceStore cadences,
      FreezeStore freezes,
      IdentityStore identities,
      ClockStore clock,
      Journal journal,
      @ConfigProperty(name = "tolvin.time-zone") String zone) {
    this.cadences = cadences;
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
    IdentityRow identity = identities.get(identityId);
    return cadences.inForce().stream()
        .filter(c -> c.identityId == null || c.identityId.equals(identityId))
        .filter(c -> c.identityKind == null || c.identityKind.equals(identity.kind))
        .min(
            Comparator.comparing((CadenceRow c) -> c.identityId == null)
                .thenComparing(c -> c.number))
        .map(
            c ->
                new Found(
                    new Cadence(
                        c.number,
                        c.name,
                        Duration.ofSeconds(c.everySeconds),
                        Duration.ofSeconds(c.leadSeconds)),
                    Duration.ofSeconds(c.watchSeconds)));
  }

  /** When a key is due, if a cadence says so. */
  @Transactional
  public Optional<Cadence.Due> due(KeyRow key) {
    return key.endedAt != null
        ? Optional.empty()
        : cadence(key.identityId).map(found -> found.cadence().due(key.madeAt, zone));
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
  List<CadenceRow> cadenceRows() {
    return cadences.inForce();
  }

  @Transactional
  CadenceRow addCadence(ScheduleResource.RuleWish wish) {
    CadenceRow row = new CadenceRow();
    row.number = wish.number();
    row.name = Checks.text(wish.name(), "name");
    row.identityKind =
        wish.identityKind() == null
            ? null
            : Checks.oneOf(
                wish.identityKind(), List.of("person", "service_account"), "identity kind");
    row.identityId = wish.identityId() == null ? null : identities.get(wish.identityId()).id;
    row.everySeconds = Checks.duration(wish.every(), "cadence", SHORTEST).toSeconds();
    row.leadSeconds = Checks.duration(wish.lead(), "lead time", Duration.ZERO).toSeconds();
    row.watchSeconds = Checks.duration(wish.watch(), "watch time", Duration.ZERO).toSeconds();
    if (row.leadSeconds >= row.everySeconds) {
      throw Problem.invalid(
          "The lead time is not shorter than the cadence.", "Give a shorter lead time.");
    }
    if (cadences.inForce().stream().anyMatch(c -> c.number == row.number)) {
      throw Problem.conflict(
          "rule-exists", "There is a rule " + row.number + " already.", "Take another number.");
    }
    row.validFrom = clock.now();
    row.id = clock.id(row.validFrom);
    cadences.add(row);
    journal.write(
        "rule.added",
        row.id,
        "Rule " + row.number + " added: every " + wish.every() + " for " + row.name,
        Map.of("every", wish.every(), "lead", wish.lead(), "watch", wish.watch()));
    return row;
  }

  @Transactional
  void removeCadence(UUID id) {
    CadenceRow row = cadences.get(id);
    if (row.validUntil == null) {
      row.validUntil = clock.now();
      journal.write("rule.removed", id, "Rule " + row.number + " removed", Map.of());
    }
  }

  @Transactional
  FreezeRow addFreeze(ScheduleResource.FreezeWish wish) {
    if (wish.from() == null || wish.until() == null || !wish.from().isBefore(wish.until())) {
      throw Problem.invalid(
          "A freeze needs a beginning and an end behind it.",
          "Give both in ISO 8601, such as 2026-12-20T00:00:00Z.");
    }
    FreezeRow row = new FreezeRow();
    row.fromAt = wish.from();
    row.untilAt = wish.until();
    row.reason = Checks.text(wish.reason(), "reason");
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
