package tolvin.core.pair;

import java.security.GeneralSecurityException;

/** What encrypts the private section of an OpenSSH file; lent by a connector. */
public interface SectionCipher {

  /** The block that the section is padded to, in bytes. */
  int block(String cipher) throws GeneralSecurityException;

  /**
   * Decrypts.
   *
   * @param sealed the section, with its authentication tag if the cipher has one
   * @throws GeneralSecurityException if the cipher is unknown, or a tag does not fit
   */
  byte[] open(String cipher, byte[] salt, int rounds, byte[] passphrase, byte[] sealed)
      throws GeneralSecurityException;

  /** Encrypts; the tag, if there is one, comes last. */
  byte[] seal(String cipher, byte[] salt, int rounds, byte[] passphrase, byte[] section)
      throws GeneralSecurityException;
}
