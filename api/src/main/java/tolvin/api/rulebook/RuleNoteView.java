package tolvin.api.rulebook;

import java.time.Instant;
import org.jspecify.annotations.Nullable;

/**
 * One rule that a key falls short of.
 *
 * @param rule the rule's number
 * @param name what the rule is about
 * @param because why the rule exists
 * @param refuses whether the key is refused for it
 * @param sentence what is missing
 * @param remedy what to do
 * @param exception why it is let pass for now; absent if it is not
 * @param exceptionUntil until when; absent likewise
 */
public record RuleNoteView(
    int rule,
    String name,
    String because,
    boolean refuses,
    String sentence,
    String remedy,
    @Nullable String exception,
    @Nullable Instant exceptionUntil) {}
