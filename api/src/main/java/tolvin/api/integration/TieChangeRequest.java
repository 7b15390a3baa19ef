package tolvin.api.integration;

import org.jspecify.annotations.Nullable;

/**
 * What can be said of a tie anew; what is absent stays.
 *
 * @param forgetLearned whether to forget how its client was seen to behave
 */
public record TieChangeRequest(
    @Nullable String expectedInterval,
    @Nullable String longestSession,
    @Nullable Boolean forgetLearned) {}
