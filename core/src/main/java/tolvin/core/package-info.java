/**
 * The computation of Tolvin: key formats, the estate, the rotation's reasoning, the journal's
 * chain. Nothing below this package waits, retries, logs, reads a clock or does input and output by
 * itself; time comes in as an {@link java.time.Instant} and randomness as a {@link
 * java.security.SecureRandom}.
 */
package tolvin.core;
