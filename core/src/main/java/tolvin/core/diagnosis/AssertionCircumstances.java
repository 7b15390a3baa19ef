package tolvin.core.diagnosis;

import java.time.Duration;
import java.time.Instant;
import java.util.Optional;
import tolvin.core.key.PublicKey;
import tolvin.core.signin.Assertion;

/**
 * All that is known of a signed assertion (RFC 7523) that was refused.
 *
 * @param account what the system says of the account whose sign-in it was
 * @param key the key that signed
 * @param said what the assertion said
 * @param answer what the system answered
 * @param unhelpful the sentence that it answers every failure with; may be empty
 * @param clockAhead how far its clock is ahead of ours, if it tells
 * @param books what is on record
 * @param now the time of it
 */
public record AssertionCircumstances(
    AccountSide account,
    PublicKey key,
    Assertion said,
    String answer,
    String unhelpful,
    Optional<Duration> clockAhead,
    Circumstances.Books books,
    Instant now) {}
