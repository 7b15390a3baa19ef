package tolvin.service.rotation;

import jakarta.enterprise.context.ApplicationScoped;
import jakarta.transaction.Transactional;
import java.time.Duration;
import java.time.Instant;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.List;
import java.util.Locale;
import java.util.Objects;
import java.util.Optional;
import java.util.UUID;
import java.util.stream.Stream;
import tolvin.core.estate.Account;
import tolvin.core.estate.Picture;
import tolvin.core.estate.SeatProof;
import tolvin.core.estate.Tie;
import tolvin.core.estate.Use;
import tolvin.core.key.Fingerprint;
import tolvin.core.rotation.Aim;
import tolvin.core.rotation.Course;
import tolvin.core.rotation.Guards;
import tolvin.core.rotation.Stage;
import tolvin.service.identity.IdentityStore;
import tolvin.service.key.KeyRow;
import tolvin.service.key.KeyStore;
import tolvin.service.placement.PlacementRow;
import tolvin.service.placement.PlacementStore;
import tolvin.service.placement.TrialRow;
import tolvin.service.store.ClockStore;

/** Rotations as they are shown. */
@ApplicationScoped
public class RotationViews {
  private final RotationStore store;
  private final KeyStore keys;
  private final IdentityStore identities;
  private final PlacementStore placements;
  private final Pictures pictures;
  private final ClockStore clock;

  RotationViews(
      RotationStore store,
      KeyStore keys,
      IdentityStore identities,
      PlacementStore placements,
      Pictures pictures,
      ClockStore clock) {
    this.store = store;
    this.keys = keys;
    this.identities = identities;
    this.placements = placements;
    this.pictures = pictures;
    this.clock = clock;
  }

  /**
   * A rotation as it is listed.
   *
   * @param stage planned, made, placed, supplied, proven, watched, withdrawn or done
   * @param aim hold, forward, back or stopped
   * @param waitingFor what it waits for, absent if for nothing
   * @param needsPerson whether a person is needed
   * @param question the name of the question that it asks, absent if none
   * @param byItself whether the calendar started it
   */
  public record Rotation(
      UUID id,
      UUID oldKeyId,
      String oldKey,
      UUID newKeyId,
      String newKey,
      String identity,
      String stage,
      String aim,
      String outcome,
      String waitingFor,
      boolean needsPerson,
      String question,
      boolean byItself,
      String reason,
      String ticket,
      Duration watch,
      Instant plannedAt,
      Instant startedAt,
      Instant endedAt) {}

  /** A span in time; the end is absent while it lasts. */
  public record Span(Instant from, Instant until) {}

  /**
   * A mark on the time axis of a tie.
   *
   * @param kind account proof, seat proof or use
   * @param key old or new
   */
  public record ChartMark(Instant at, String kind, String key) {}

  /**
   * One tie of a rotation, with what its overlap chart needs.
   *
   * @param oldAccepted when the account accepts the old key
   * @param oldOffered when the seat offers the old key
   * @param newAccepted when the account accepts the new key, absent before
   * @param newOffered when the seat offers the new key, absent before
   */
  public record TieProgress(
      String tie,
      String stage,
      Span oldAccepted,
      Span oldOffered,
      Span newAccepted,
      Span newOffered,
      List<ChartMark> marks) {}

  /** What a guard says now. */
  public record GuardView(String account, String guard, String answer, String reason) {}

  /** An effect that was tried. */
  public record AttemptView(
      String effect,
      String sentence,
      Instant startedAt,
      Instant endedAt,
      String outcome,
      String reason) {}

  /** A rotation with all that is known of it. */
  public record RotationDetail(
      Rotation rotation,
      Instant now,
      List<TieProgress> ties,
      List<GuardView> guards,
      List<AttemptView> attempts) {}

  /** Rotations as they are listed, the newest first. */
  public List<Rotation> rotations(List<RotationRow> rows) {
    return rows.stream()
        .sorted(Comparator.comparing((RotationRow row) -> row.plannedAt).reversed())
        .map(this::rotation)
        .toList();
  }

  Rotation rotation(RotationRow row) {
    KeyRow old = keys.get(row.oldKeyId);
    return new Rotation(
        row.id,
        row.oldKeyId,
        old.fingerprint,
        row.newKeyId,
        keys.find(row.newKeyId).map(k -> k.fingerprint).orElse(null),
        identities.find(old.identityId).map(i -> i.name).orElse(null),
        row.stage.toLowerCase(Locale.ROOT),
        row.aim.toLowerCase(Locale.ROOT),
        row.outcome,
        row.waitingFor,
        row.needsPerson,
        row.question,
        row.byItself,
        row.reason,
        row.ticket,
        Duration.ofSeconds(row.watchSeconds),
        row.plannedAt,
        row.startedAt,
        row.endedAt);
  }

  @Transactional
  RotationDetail detail(UUID id) {
    RotationRow row = store.get(id);
    Situation situation = pictures.situation(id);
    List<AttemptRow> attempts = store.attemptsOf(id);
    return new RotationDetail(
        rotation(row),
        clock.now(),
        situation.picture().ties().stream()
            .map(tie -> progress(row, tie, situation, attempts))
            .toList(),
        row.endedAt == null ? guards(situation) : List.of(),
        attempts.stream()
            .filter(a -> !a.effect.startsWith("look ") || a.outcome.equals("FAILED"))
            .map(
                a ->
                    new AttemptView(
                        a.effect.split(" ")[0],
                        a.intent,
                        a.startedAt,
                        a.endedAt,
                        a.outcome.toLowerCase(Locale.ROOT),
                        a.reason))
            .toList());
  }

  private static List<GuardView> guards(Situation situation) {
    Course course = situation.course();
    if (course.fresh().isEmpty()) {
      return List.of();
    }
    Picture picture = situation.picture();
    boolean back = course.aim() == Aim.BACK;
    Fingerprint from = back ? course.fresh().get() : course.old();
    Fingerprint to = back ? course.old() : course.fresh().get();
    return picture.accountList().stream()
        .filter(a -> a.placed().containsKey(from))
        .flatMap(a -> guards(a, from, to, course, picture))
        .toList();
  }

  private static java.util.stream.Stream<GuardView> guards(
      Account account, Fingerprint from, Fingerprint to, Course course, Picture picture) {
    return Guards.beforeWithdrawal(account, from, to, picture, course).stream()
        .map(
            r ->
                new GuardView(
                    account.name(),
                    r.guard().name().toLowerCase(Locale.ROOT),
                    r.answer().name().toLowerCase(Locale.ROOT).replace('_', ' '),
                    r.reason()));
  }

  private TieProgress progress(
      RotationRow row, Tie tie, Situation situation, List<AttemptRow> attempts) {
    Picture picture = situation.picture();
    UUID account = tie.account().value();
    Optional<Fingerprint> fresh = situation.course().fresh();
    Instant switched = ended(attempts, "supply " + tie.seat(), fresh).orElse(null);
    Instant restored =
        ended(attempts, "supply " + tie.seat(), Optional.of(situation.course().old())).orElse(null);
    Span newAccepted = row.newKeyId == null ? null : accepted(row.newKeyId, account);
    return new TieProgress(
        tie.name(),
        row.endedAt != null
            ? row.stage.toLowerCase(Locale.ROOT)
            : Stage.of(tie, picture, situation.course()).name().toLowerCase(Locale.ROOT),
        accepted(row.oldKeyId, account),
        new Span(null, restored == null ? switched : null),
        newAccepted,
        switched == null ? null : new Span(switched, restored),
        marks(row, tie, situation));
  }

  private static Optional<Instant> ended(
      List<AttemptRow> attempts, String effect, Optional<Fingerprint> key) {
    return attempts.stream()
        .filter(a -> key.isPresent() && a.effect.equals(effect + " " + key.get()))
        .filter(a -> a.outcome.equals("DONE"))
        .map(a -> a.endedAt)
        .reduce((a, b) -> b);
  }

  private Span accepted(UUID key, UUID account) {
    return placements.everOfKeys(List.of(key)).stream()
        .filter(p -> p.accountId.equals(account) && p.placedAt != null)
        .reduce((a, b) -> b)
        .map((PlacementRow p) -> new Span(p.placedAt, p.withdrawnAt))
        .orElse(null);
  }

  private List<ChartMark> marks(RotationRow row, Tie tie, Situation situation) {
    List<ChartMark> marks = new ArrayList<>();
    for (TrialRow trial :
        placements.trials(
            List.of(tie.account().value()),
            Stream.of(row.oldKeyId, row.newKeyId).filter(Objects::nonNull).toList())) {
      boolean old = trial.keyId.equals(row.oldKeyId);
      if (trial.accepted && (old || trial.keyId.equals(row.newKeyId))) {
        marks.add(new ChartMark(trial.madeAt, "account proof", old ? "old" : "new"));
      }
    }
    for (Use use : situation.picture().uses()) {
      boolean old = use.key().equals(situation.course().old());
      boolean fresh = situation.course().fresh().filter(use.key()::equals).isPresent();
      if (use.account().equals(tie.account()) && (old || fresh)) {
        boolean seat = use.address().equals(tie.address());
        // A use lies between two readings: of the old key the earlier end is shown, of the new the
        // later.
        marks.add(
            new ChartMark(
                old ? use.earliest() : use.latest(),
                seat ? "seat proof" : "use",
                old ? "old" : "new"));
      }
    }
    for (SeatProof proof : situation.picture().seatProofs()) {
      if (proof.tie().equals(tie.id())) {
        boolean old = proof.key().equals(situation.course().old());
        marks.add(new ChartMark(proof.at(), "seat proof", old ? "old" : "new"));
      }
    }
    marks.removeIf(
        m -> m.at().isBefore(row.plannedAt) || row.endedAt != null && m.at().isAfter(row.endedAt));
    marks.sort(Comparator.comparing(ChartMark::at));
    return marks;
  }
}
