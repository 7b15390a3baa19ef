package tolvin.service.snapshot;

import java.util.List;
import java.util.UUID;
import tolvin.core.estate.Snapshot;
import tolvin.core.rotation.Attempt;
import tolvin.core.rotation.Decision;
import tolvin.core.rotation.RotationContext;
import tolvin.core.rotation.RotationPlanner;
import tolvin.core.rotation.Stage;

/**
 * All that the next move of one rotation is decided from, at one moment.
 *
 * @param rotation its id
 * @param stage the stage that it shows
 */
public record Situation(
    UUID rotation, Stage stage, Snapshot snapshot, RotationContext context, List<Attempt> history) {

  public Decision next() {
    return RotationPlanner.move(snapshot, context, history);
  }
}
