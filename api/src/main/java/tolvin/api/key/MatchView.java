package tolvin.api.key;

import java.util.UUID;
import org.jspecify.annotations.Nullable;

/**
 * A key that is the same or near.
 *
 * @param same whether it is the same key
 * @param at the first character that differs, counted from 1 without prefix and colons
 * @param sentence the difference in words
 */
public record MatchView(
    @Nullable UUID keyId,
    String fingerprint,
    @Nullable String identity,
    boolean same,
    @Nullable Integer at,
    String sentence) {}
