package tolvin.service.today;

import jakarta.annotation.security.RolesAllowed;
import jakarta.transaction.Transactional;
import jakarta.ws.rs.GET;
import jakarta.ws.rs.Path;
import java.time.Duration;
import java.time.Instant;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.UUID;
import java.util.stream.Collectors;
import tolvin.api.rotation.RotationView;
import tolvin.api.today.DoneView;
import tolvin.api.today.DueKeyView;
import tolvin.api.today.NeedView;
import tolvin.api.today.TodayView;
import tolvin.core.handover.HandOverState;
import tolvin.service.effect.RemoteWork;
import tolvin.service.record.destination.DestinationRow;
import tolvin.service.record.destination.DestinationStore;
import tolvin.service.record.handover.HandOverStore;
import tolvin.service.record.identity.IdentityStore;
import tolvin.service.record.key.KeyRow;
import tolvin.service.record.key.KeyStore;
import tolvin.service.record.registration.RegistrationStore;
import tolvin.service.record.rotation.RotationStore;
import tolvin.service.record.sweep.FindingStore;
import tolvin.service.rotation.RotationViews;
import tolvin.service.schedule.DueDates;
import tolvin.service.store.ClockStore;
import tolvin.service.web.Role;

/** What needs a person now, what was done by itself, what is due. */
@Path("/api/v1/today")
@RolesAllowed(Role.ADMINISTRATOR)
public class TodayResource {
  private static final Duration SOON = Duration.ofDays(30);
  private static final int MOST_FINDINGS = 20;
  private static final int MOST_DESTINATIONS = 30;
  private static final int MOST_SECRETS = 1000;
  private static final int MOST_DUE = 200;
  private static final int MOST_OVERDUE = 20;
  private static final Duration SECRET_ENDS_SOON = Duration.ofDays(14);

  private final RotationStore rotations;
  private final RotationViews views;
  private final DestinationStore destinations;
  private final KeyStore keys;
  private final IdentityStore identities;
  private final DueDates dueDates;
  private final HandOverStore handOvers;
  private final FindingStore findings;
  private final RegistrationStore registrations;
  private final RemoteWork outside;
  private final ClockStore clock;

  TodayResource(
      RotationStore rotations,
      RotationViews views,
      DestinationStore destinations,
      KeyStore keys,
      IdentityStore identities,
      DueDates dueDates,
      HandOverStore handOvers,
      FindingStore findings,
      RegistrationStore registrations,
      RemoteWork outside,
      ClockStore clock) {
    this.rotations = rotations;
    this.views = views;
    this.destinations = destinations;
    this.keys = keys;
    this.identities = identities;
    this.dueDates = dueDates;
    this.handOvers = handOvers;
    this.findings = findings;
    this.registrations = registrations;
    this.outside = outside;
    this.clock = clock;
  }

  /** Today. */
  @GET
  @Transactional
  public TodayView showToday() {
    Instant now = clock.now();
    List<NeedView> needs = new ArrayList<>();
    addDestinations(needs, now);
    outside
        .troubles(now)
        .forEach(t -> needs.add(new NeedView(t.kind(), t.subject(), t.title(), t.reason())));
    dueDates.workOut(); // what just changed is told at once
    List<DueKeyView> due = dueKeys(keys.dueBefore(now.plus(SOON), MOST_DUE), now);
    List<DueKeyView> overdue = due.stream().filter(DueKeyView::overdue).toList();
    overdue.stream()
        .limit(MOST_OVERDUE)
        .forEach(
            d ->
                needs.add(
                    new NeedView("overdue", d.keyId(), d.identity() + " is overdue", d.reason())));
    if (overdue.size() > MOST_OVERDUE) {
      String more =
          overdue.size() < MOST_DUE ? String.valueOf(overdue.size() - MOST_OVERDUE) : "Many";
      needs.add(
          new NeedView("overdue", null, more + " more are overdue", "They are listed below."));
    }
    List<RotationView> running = views.rotations(rotations.running());
    running.stream()
        .filter(r -> r.needsPerson())
        .forEach(
            r ->
                needs.add(
                    new NeedView(
                        "rotation", r.id(), "Rotation of " + r.identity(), r.waitingFor())));
    registrations
        .stopped()
        .forEach(
            r ->
                needs.add(
                    new NeedView(
                        "registration",
                        r.id,
                        "Registration: " + r.reason,
                        "The key that was tried first failed, so the others were not begun. Go on"
                            + " all the same, or cancel it.")));
    handOvers.live().stream()
        .filter(h -> h.state == HandOverState.REPLIED || h.dueAt.isBefore(now) || h.reminders > 0)
        .forEach(
            h ->
                needs.add(
                    new NeedView(
                        "hand-over",
                        h.id,
                        h.toWhom + (h.repliedAt == null ? " did not reply yet" : " replied"),
                        h.repliedAt == null
                            ? "Asked at " + h.madeAt + ", due at " + h.dueAt + "."
                            : h.reply + "; not proven yet: " + h.lastTrial)));
    findings
        .openOfSeats(now, MOST_FINDINGS)
        .forEach(
            f ->
                needs.add(
                    new NeedView(
                        "finding", f.id, f.sentence, "Restore an accepted key: " + f.remedy)));
    long broken = findings.openCritical(now);
    if (broken > 0) {
      needs.add(
          new NeedView(
              "finding",
              null,
              broken + (broken == 1 ? " critical finding" : " critical findings"),
              "Somebody cannot sign in, or somebody can who must not."));
    }
    return new TodayView(
        now,
        needs,
        running,
        done(views.rotations(rotations.endedSince(now.minus(Duration.ofDays(1))))),
        due,
        keys.count());
  }

  /** The last ones first; what was done repeatedly by itself is one line. */
  static List<DoneView> done(List<RotationView> ended) {
    Map<Object, DoneView> done = new LinkedHashMap<>();
    ended.stream()
        .sorted(Comparator.comparing(RotationView::endedAt))
        .forEach(
            rotation ->
                done.merge(
                    rotation.byItself()
                        ? List.of(rotation.identity(), rotation.outcome())
                        : rotation.id(),
                    new DoneView(rotation, 1),
                    (before, one) -> new DoneView(one.rotation(), before.times() + 1)));
    return done.values().stream()
        .sorted(
            Comparator.comparing((DoneView d) -> d.rotation().endedAt(), Comparator.reverseOrder()))
        .toList();
  }

  private void addDestinations(List<NeedView> needs, Instant now) {
    List<DestinationRow> broken = destinations.inTrouble(MOST_DESTINATIONS + 1);
    broken.stream().limit(MOST_DESTINATIONS).forEach(d -> trouble(d, now).ifPresent(needs::add));
    if (broken.size() > MOST_DESTINATIONS) {
      needs.add(
          new NeedView(
              "destination",
              null,
              "More destinations are stopped or in trouble",
              "List them: tolvin destination list."));
    }
    destinations
        .withSecretThatEnds(MOST_SECRETS)
        .forEach(d -> trouble(d, now).ifPresent(needs::add));
  }

  private static Optional<NeedView> trouble(DestinationRow at, Instant now) {
    if (at.stoppedBecause != null) {
      return Optional.of(
          new NeedView("destination", at.id, at.name + " is stopped", at.stoppedBecause));
    }
    if (at.health != null && at.health.failure() != null) {
      return Optional.of(
          new NeedView("destination", at.id, at.name + " is in trouble", at.health.failure()));
    }
    Instant told = at.health == null ? null : at.health.secretEnds();
    Instant ends = told == null ? at.secretEndsAt : told;
    return ends != null && ends.isBefore(now.plus(SECRET_ENDS_SOON))
        ? Optional.of(
            new NeedView(
                "destination",
                at.id,
                "Tolvin's secret at " + at.name + " ends soon",
                "It ends "
                    + ends
                    + "; give the next one: tolvin destination change "
                    + at.name
                    + " --secret-file FILE"))
        : Optional.empty();
  }

  private List<DueKeyView> dueKeys(List<KeyRow> rows, Instant now) {
    Map<UUID, String> names =
        identities.byIds(rows.stream().map(k -> k.identityId).distinct().toList()).stream()
            .collect(Collectors.toMap(i -> i.id, i -> i.name));
    return rows.stream()
        .map(
            key ->
                new DueKeyView(
                    key.id,
                    key.fingerprint,
                    names.getOrDefault(key.identityId, "nobody"),
                    key.dueAt,
                    key.dueStartAt,
                    key.dueReason,
                    key.dueAt.isBefore(now)))
        .toList();
  }
}
