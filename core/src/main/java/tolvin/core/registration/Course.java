package tolvin.core.registration;

import java.util.HashMap;
import java.util.Iterator;
import java.util.List;
import java.util.Map;
import java.util.Optional;
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

  /** Begins to begin lines. */
  public Turn turn() {
    return new Turn();
  }

  /** Which lines are begun now, one after the other, as it depends on what becomes of each. */
  public final class Turn {
    private final boolean isTesting = state() == RegistrationState.TESTING;
    private final Map<UUID, Integer> busy = new HashMap<>();
    private final Iterator<Line> waiting;
    private Line begun;

    private Turn() {
      own().filter(line -> line.is(LineState.ON_ITS_WAY)).forEach(this::occupy);
      boolean mayGoOn = isTesting || state() == RegistrationState.RUNNING;
      waiting =
          lines.stream()
              .filter(line -> mayGoOn && line.is(LineState.WAITING))
              .filter(line -> !isTesting || !line.byHand())
              .iterator();
    }

    private void occupy(Line line) {
      busy.merge(line.destination(), 1, Integer::sum);
    }

    /** The next line to begin; empty if no other is begun now. */
    public Optional<UUID> next() {
      while (waiting.hasNext() && !(isTesting && !busy.isEmpty())) {
        Line line = waiting.next();
        if (line.byHand() || busy.getOrDefault(line.destination(), 0) < atOnce) {
          begun = line;
          return Optional.of(line.id());
        }
      }
      return Optional.empty();
    }

    /** What became of the line that was given last. */
    public void became(LineState state) {
      if (state == LineState.ON_ITS_WAY) {
        occupy(begun);
      }
    }
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
