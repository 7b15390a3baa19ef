package tolvin.api.proof;

import java.time.Instant;
import org.jspecify.annotations.Nullable;

/**
 * The counter of a key's device.
 *
 * @param wentBackAt when it showed a lower one, which a second device would; absent if never
 */
public record CounterView(
    long counter, Instant seenAt, @Nullable Instant wentBackAt, @Nullable Long wentBackTo) {}
