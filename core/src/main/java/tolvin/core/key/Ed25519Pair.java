package tolvin.core.key;

import java.util.Arrays;

/**
 * An Ed25519 key pair in memory, on its way out of or into the coffer.
 *
 * @param key the public half
 * @param seed the 32 secret bytes (RFC 8032 section 5.1.5)
 */
public record Ed25519Pair(PublicKey key, byte[] seed) implements AutoCloseable {

  /** Overwrites the secret bytes. */
  @Override
  public void close() {
    Arrays.fill(seed, (byte) 0);
  }

  @Override
  public String toString() {
    return "Ed25519Pair[" + key + "]";
  }
}
