package tolvin.core.pair;

import tolvin.core.key.PublicKey;

/**
 * Something that signs with a key: a pair in memory, an agent, a hardware module. The private key
 * stays where it is.
 */
public interface Signer extends AutoCloseable {

  /** The public key. */
  PublicKey key();

  /**
   * Signs.
   *
   * @param data what is signed
   * @param algorithm one of {@link SignatureAlgorithm}'s words for the key's type
   * @return a signature as SSH writes it (RFC 4253 section 6.6): the algorithm's word and its bytes
   * @throws SigningException if the holder of the private key does not sign
   */
  byte[] sign(byte[] data, String algorithm) throws SigningException;

  /** Signs with the algorithm that is usual for the key's type. */
  default byte[] sign(byte[] data) throws SigningException {
    return sign(data, SignatureAlgorithm.usual(key().type()).word());
  }

  /** Ends what was held open for it; a pair in memory is overwritten. */
  @Override
  void close();
}
