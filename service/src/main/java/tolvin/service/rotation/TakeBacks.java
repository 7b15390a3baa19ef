package tolvin.service.rotation;

import static tolvin.service.store.Transactions.inNewTransaction;

import jakarta.enterprise.context.ApplicationScoped;
import java.time.Duration;
import java.util.Map;
import java.util.Optional;
import java.util.UUID;
import tolvin.service.job.JobHandler;
import tolvin.service.job.JobKind;
import tolvin.service.journal.Journal;
import tolvin.service.placement.Placements;
import tolvin.service.problem.Problem;
import tolvin.service.record.placement.PlacementRow;
import tolvin.service.record.placement.PlacementStore;

/** Takes keys off again that shut others out, and rolls back the rotations that placed them. */
@ApplicationScoped
class TakeBacks implements JobHandler {
  private final PlacementStore store;
  private final Placements placements;
  private final Rotations rotations;
  private final Journal journal;

  TakeBacks(PlacementStore store, Placements placements, Rotations rotations, Journal journal) {
    this.store = store;
    this.placements = placements;
    this.rotations = rotations;
    this.journal = journal;
  }

  @Override
  public JobKind kind() {
    return JobKind.TAKE_BACK;
  }

  @Override
  public Optional<Duration> run(UUID id, Turn turn) {
    try {
      inNewTransaction(() -> takeBack(id));
    } catch (Problem cannot) {
      inNewTransaction(
          () -> {
            journal.write(
                "placement.not-taken-back",
                id,
                "It could not be taken back: " + cannot.getMessage(),
                Map.of());
            return id;
          });
    }
    return Optional.empty();
  }

  private PlacementRow takeBack(UUID id) {
    PlacementRow row = store.get(id);
    String why = row.takenBackBecause;
    if (row.rotationId != null && store.isRotating(row.rotationId)) {
      rotations.rollBack(row.rotationId, why);
      return row;
    }
    PlacementRow going = placements.withdraw(id, why, Optional.of(why));
    going.reason = why;
    return going;
  }
}
