package tolvin.core.registration;

import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.UUID;
import java.util.stream.Stream;

/**
 * How a registration goes on from where it is: which lines are begun now. One line is placed and
 * tried before the others, then so many at once on each destination.
 *
 * @param lines all of its lines, in the order in which they are begun
 * @param atOnce how many may be on their way on one destination, at least one
 * @param isTested whether the others may be begun: one was seen to work, or a person said so
 */
public record Course(List<Line> lines, int atOnce, boolean isTested) {

  /**
   * A line, as far as it matters here.
   *
   * @param id which line
   * @param destination where its account is
   * @param byHand whether somebody else places it, who may take days: it shows nothing, and holds
   *     up nobody
   */
  public record Line(UUID id, UUID destination, boolean byHand, LineState state) {
    private boolean is(LineState which) {
      return state == which;
    }
  }

  /**
   * @throws IllegalArgumentException if nothing could ever be begun
   */
  public Course {
    if (atOnce < 1) {
      throw new IllegalArgumentException("nothing at once");
    }
    lines = List.copyOf(lines);
  }

  /** How far the whole is. */
  public RegistrationState state() {
    if (lines.stream().allMatch(line -> line.state().isOver())) {
      return RegistrationState.DONE;
    }
    if (mayBeginAll()) {
      return RegistrationState.RUNNING;
    }
    return own().anyMatch(line -> line.is(LineState.FAILED))
            && own().noneMatch(line -> line.is(LineState.ON_ITS_WAY))
        ? RegistrationState.STOPPED
        : RegistrationState.TESTING;
  }

  /** The lines to begin now, in their order; none of a destination that is busy enough. */
  public List<UUID> toBegin() {
    return switch (state()) {
      case TESTING ->
          own().anyMatch(line -> line.is(LineState.ON_ITS_WAY))
              ? List.of()
              : own().filter(line -> line.is(LineState.WAITING)).limit(1).map(Line::id).toList();
      case RUNNING -> withinLimits();
      default -> List.of();
    };
  }

  private List<UUID> withinLimits() {
    Map<UUID, Integer> busy = new HashMap<>();
    own()
        .filter(line -> line.is(LineState.ON_ITS_WAY))
        .forEach(line -> busy.merge(line.destination(), 1, Integer::sum));
    return lines.stream()
        .filter(line -> line.is(LineState.WAITING))
        .filter(line -> line.byHand() || busy.merge(line.destination(), 1, Integer::sum) <= atOnce)
        .map(Line::id)
        .toList();
  }

  /** Where everything that is left is somebody else's, there is nothing to test first. */
  private boolean mayBeginAll() {
    return isTested
        || own().anyMatch(line -> line.is(LineState.DONE))
        || own().allMatch(line -> line.state().isOver() && !line.is(LineState.FAILED));
  }

  private Stream<Line> own() {
    return lines.stream().filter(line -> !line.byHand());
  }
}
