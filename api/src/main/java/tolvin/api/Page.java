package tolvin.api;

import java.util.List;
import java.util.function.Function;
import org.jspecify.annotations.Nullable;

/**
 * A page of a list; also linked by {@code Link: rel="next"} (RFC 8288).
 *
 * @param items what is on it
 * @param next the cursor of the next page, absent on the last
 */
public record Page<T>(List<T> items, @Nullable String next) {

  /** The same page of something else. */
  public <R> Page<R> map(Function<T, R> shape) {
    return new Page<>(items.stream().map(shape).toList(), next);
  }
}
