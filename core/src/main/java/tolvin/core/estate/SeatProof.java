package tolvin.core.estate;

import java.time.Instant;
import tolvin.core.key.Fingerprint;

/**
 * A seat itself signed in, by its own trial.
 *
 * @param tie from which seat to which account
 * @param key with which key
 * @param at when the trial began
 */
public record SeatProof(TieId tie, Fingerprint key, Instant at) {}
