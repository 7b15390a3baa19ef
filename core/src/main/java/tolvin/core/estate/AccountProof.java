package tolvin.core.estate;

import java.time.Instant;
import tolvin.core.key.Fingerprint;

/**
 * Tolvin itself signed in to an account with a key.
 *
 * @param account where
 * @param key with which key
 * @param at when the trial began
 */
public record AccountProof(AccountId account, Fingerprint key, Instant at) {}
