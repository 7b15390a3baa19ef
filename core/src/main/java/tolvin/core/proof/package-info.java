/**
 * Proof that somebody holds a private key, and that it lives in hardware: challenges, signatures in
 * SSH's format, the words of a security key, attestations.
 */
package tolvin.core.proof;
