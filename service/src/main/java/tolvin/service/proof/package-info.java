/** Proof that somebody holds a key, and of the hardware that it lives in. */
package tolvin.service.proof;
