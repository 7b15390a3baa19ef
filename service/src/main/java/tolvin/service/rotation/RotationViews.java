package tolvin.service.rotation;

import jakarta.enterprise.context.ApplicationScoped;
import jakarta.transaction.Transactional;
import java.time.Duration;
import java.time.Instant;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.List;
import java.util.Objects;
import java.util.Optional;
import java.util.UUID;
import java.util.stream.Stream;
import tolvin.api.rotation.AttemptView;
import tolvin.api.rotation.ChartMarkView;
import tolvin.api.rotation.ChartMarkView.Kind;
import tolvin.api.rotation.ChartMarkView.Side;
import tolvin.api.rotation.GuardView;
import tolvin.api.rotation.QuestionView;
import tolvin.api.rotation.RotationDetailView;
import tolvin.api.rotation.RotationView;
import tolvin.api.rotation.SpanView;
import tolvin.api.rotation.TieProgressView;
import tolvin.core.estate.Account;
import tolvin.core.estate.SeatProof;
import tolvin.core.estate.Snapshot;
import tolvin.core.estate.Tie;
import tolvin.core.estate.Use;
import tolvin.core.key.Fingerprint;
import tolvin.core.rotation.Attempt;
import tolvin.core.rotation.Direction;
import tolvin.core.rotation.EffectKind;
import tolvin.core.rotation.Guards;
import tolvin.core.rotation.Question;
import tolvin.core.rotation.RotationContext;
import tolvin.core.rotation.Stage;
import tolvin.service.problem.Problem;
import tolvin.service.record.identity.IdentityStore;
import tolvin.service.record.key.KeyRow;
import tolvin.service.record.key.KeyStore;
import tolvin.service.record.placement.PlacementRow;
import tolvin.service.record.placement.PlacementStore;
import tolvin.service.record.placement.TrialRow;
import tolvin.service.record.rotation.AttemptRow;
import tolvin.service.record.rotation.RotationRow;
import tolvin.service.record.rotation.RotationStore;
import tolvin.service.record.rotation.StoredEffect;
import tolvin.service.record.rotation.StoredQuestion;
import tolvin.service.snapshot.Situation;
import tolvin.service.snapshot.Snapshots;
import tolvin.service.store.ClockStore;

/** Rotations as they are shown. */
@ApplicationScoped
public class RotationViews {
  private final RotationStore store;
  private final KeyStore keys;
  private final IdentityStore identities;
  private final PlacementStore placements;
  private final Snapshots snapshots;
  private final ClockStore clock;

  RotationViews(
      RotationStore store,
      KeyStore keys,
      IdentityStore identities,
      PlacementStore placements,
      Snapshots snapshots,
      ClockStore clock) {
    this.store = store;
    this.keys = keys;
    this.identities = identities;
    this.placements = placements;
    this.snapshots = snapshots;
    this.clock = clock;
  }

  /** Rotations as they are listed, the newest first. */
  public List<RotationView> rotations(List<RotationRow> rows) {
    return rows.stream()
        .sorted(Comparator.comparing((RotationRow row) -> row.plannedAt).reversed())
        .map(this::rotation)
        .toList();
  }

  RotationView rotation(RotationRow row) {
    KeyRow old = keys.get(row.oldKeyId);
    return new RotationView(
        row.id,
        row.oldKeyId,
        old.fingerprint,
        row.newKeyId,
        keys.find(row.newKeyId).map(k -> k.fingerprint).orElse(null),
        identities.find(old.identityId).map(i -> i.name).orElse(null),
        row.stage,
        row.direction,
        row.outcome,
        row.turnedBecause,
        row.waitingFor,
        row.needsPerson,
        row.question == null ? null : view(row.question),
        row.byItself,
        row.reason,
        row.ticket,
        Duration.ofSeconds(row.watchSeconds),
        row.plannedAt,
        row.startedAt,
        row.endedAt);
  }

  @Transactional
  RotationDetailView detail(UUID id) {
    RotationRow row = store.get(id);
    Situation situation = snapshots.situation(id);
    List<AttemptRow> attempts = store.attemptsOf(id);
    return new RotationDetailView(
        rotation(row),
        clock.now(),
        situation.snapshot().ties().stream()
            .map(tie -> progress(row, tie, situation, attempts))
            .toList(),
        row.endedAt == null ? guards(situation) : List.of(),
        attempts.stream()
            .filter(a -> a.kind != EffectKind.LOOK || a.outcome == Attempt.Outcome.FAILED)
            .map(
                a -> new AttemptView(a.kind, a.intent, a.startedAt, a.endedAt, a.outcome, a.reason))
            .toList());
  }

  private static List<GuardView> guards(Situation situation) {
    RotationContext context = situation.context();
    if (context.fresh().isEmpty()) {
      return List.of();
    }
    Snapshot snapshot = situation.snapshot();
    boolean back = context.direction() == Direction.ROLLING_BACK;
    Fingerprint from = back ? context.fresh().get() : context.old();
    Fingerprint to = back ? context.old() : context.fresh().get();
    return snapshot.accountList().stream()
        .filter(a -> a.placed().containsKey(from))
        .flatMap(a -> guards(a, from, to, context, snapshot))
        .toList();
  }

  private static java.util.stream.Stream<GuardView> guards(
      Account account,
      Fingerprint from,
      Fingerprint to,
      RotationContext context,
      Snapshot snapshot) {
    return Guards.beforeWithdrawal(account, from, to, snapshot, context).stream()
        .map(r -> new GuardView(account.name(), r.guard(), r.answer(), r.reason()));
  }

  private TieProgressView progress(
      RotationRow row, Tie tie, Situation situation, List<AttemptRow> attempts) {
    Snapshot snapshot = situation.snapshot();
    UUID account = tie.account().value();
    Optional<Fingerprint> fresh = situation.context().fresh();
    Instant switched = ended(attempts, tie, fresh).orElse(null);
    Instant restored = ended(attempts, tie, Optional.of(situation.context().old())).orElse(null);
    SpanView newAccepted = row.newKeyId == null ? null : accepted(row.newKeyId, account);
    return new TieProgressView(
        tie.name(),
        row.endedAt != null ? row.stage : Stage.of(tie, snapshot, situation.context()),
        accepted(row.oldKeyId, account),
        new SpanView(null, restored == null ? switched : null),
        newAccepted,
        switched == null ? null : new SpanView(switched, restored),
        marks(row, tie, situation));
  }

  private static Optional<Instant> ended(
      List<AttemptRow> attempts, Tie tie, Optional<Fingerprint> key) {
    return attempts.stream()
        .filter(a -> a.kind == EffectKind.SUPPLY && tie.seat().value().equals(a.seatId))
        .filter(a -> key.filter(k -> k.value().equals(a.key)).isPresent())
        .filter(a -> a.outcome == Attempt.Outcome.DONE)
        .map(a -> a.endedAt)
        .reduce((a, b) -> b);
  }

  private SpanView accepted(UUID key, UUID account) {
    return placements.everOfKeys(List.of(key)).stream()
        .filter(p -> p.accountId.equals(account) && p.placedAt != null)
        .reduce((a, b) -> b)
        .map((PlacementRow p) -> new SpanView(p.placedAt, p.withdrawnAt))
        .orElse(null);
  }

  private List<ChartMarkView> marks(RotationRow row, Tie tie, Situation situation) {
    List<ChartMarkView> marks = new ArrayList<>();
    for (TrialRow trial :
        placements.trials(
            List.of(tie.account().value()),
            Stream.of(row.oldKeyId, row.newKeyId).filter(Objects::nonNull).toList())) {
      boolean old = trial.keyId.equals(row.oldKeyId);
      if (trial.accepted && (old || trial.keyId.equals(row.newKeyId))) {
        marks.add(new ChartMarkView(trial.madeAt, Kind.ACCOUNT_PROOF, old ? Side.OLD : Side.NEW));
      }
    }
    for (Use use : situation.snapshot().uses()) {
      boolean old = use.key().equals(situation.context().old());
      boolean fresh = situation.context().fresh().filter(use.key()::equals).isPresent();
      if (use.account().equals(tie.account()) && (old || fresh)) {
        boolean seat = use.address().equals(tie.address());
        // A use lies between two readings: of the old key the earlier end is shown, of the new the
        // later.
        marks.add(
            new ChartMarkView(
                old ? use.earliest() : use.latest(),
                seat ? Kind.SEAT_PROOF : Kind.USE,
                old ? Side.OLD : Side.NEW));
      }
    }
    for (SeatProof proof : situation.snapshot().seatProofs()) {
      if (proof.tie().equals(tie.id())) {
        boolean old = proof.key().equals(situation.context().old());
        marks.add(new ChartMarkView(proof.at(), Kind.SEAT_PROOF, old ? Side.OLD : Side.NEW));
      }
    }
    marks.removeIf(
        m -> m.at().isBefore(row.plannedAt) || row.endedAt != null && m.at().isAfter(row.endedAt));
    marks.sort(Comparator.comparing(ChartMarkView::at));
    return marks;
  }

  private static QuestionView view(StoredQuestion question) {
    StoredEffect effect = question.effect();
    return effect == null
        ? new QuestionView(question.kind(), question.subject(), null, null, null)
        : new QuestionView(
            question.kind(), question.subject(), effect.kind(), effect.where(), effect.key());
  }

  /** A question as it came back from whoever answers it. */
  static Question question(QuestionView view) {
    if (view == null || view.kind() == null) {
      throw Problem.invalid(
          "The question is missing.", "Send back the question that the rotation asks.");
    }
    StoredEffect effect =
        view.effect() == null ? null : new StoredEffect(view.effect(), view.where(), view.key());
    try {
      return new StoredQuestion(view.kind(), view.subject(), effect).question();
    } catch (IllegalArgumentException | NullPointerException notAsked) {
      throw Problem.invalid(
          "The question is none that a rotation asks.", "Send it back as the rotation asks it.");
    }
  }
}
