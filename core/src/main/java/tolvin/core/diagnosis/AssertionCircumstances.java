package tolvin.core.diagnosis;

import java.time.Duration;
import java.time.Instant;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import tolvin.core.estate.Registered;
import tolvin.core.key.PublicKey;
import tolvin.core.sheet.Ability;
import tolvin.core.signin.Assertion;

/**
 * All that is known of a signed assertion (RFC 7523) that was refused.
 *
 * @param account whose sign-in it was, for sentences
 * @param key the key that signed
 * @param said what the assertion said
 * @param answer what the system answered
 * @param unhelpful the sentence that it answers every failure with; may be empty
 * @param clockAhead how far its clock is ahead of ours, if it tells
 * @param registered what is registered on the account now; empty if it could not be read
 * @param unreadable why it could not be read; empty text if it could
 * @param state what the system says of the account: {@code sign-in-mode}, {@code enabled}
 * @param ability what its accounts can hold
 * @param books what is on record
 * @param now the time of it
 */
public record AssertionCircumstances(
    String account,
    PublicKey key,
    Assertion said,
    String answer,
    String unhelpful,
    Optional<Duration> clockAhead,
    Optional<List<Registered>> registered,
    String unreadable,
    Map<String, String> state,
    Ability ability,
    Circumstances.Books books,
    Instant now) {}
