package tolvin.core.proof;

import java.util.Optional;

/**
 * What a security key says beside its signature (OpenSSH PROTOCOL.u2f, "SSH U2F signatures"; the
 * flags are those of WebAuthn section 6.1).
 *
 * @param flags the flags as they came
 * @param counter how often it has signed; a device may leave it at 0
 * @param origin the web page that asked for the signature, if a browser made it
 */
public record DeviceWord(int flags, long counter, Optional<String> origin) {
  private static final int PRESENT = 0x01;
  private static final int VERIFIED = 0x04;

  /** Whether somebody touched it. */
  public boolean touched() {
    return (flags & PRESENT) != 0;
  }

  /** Whether it verified the person, by PIN or fingerprint. */
  public boolean verified() {
    return (flags & VERIFIED) != 0;
  }

  /**
   * Whether this can be the word of the same device after another one. A counter that does not grow
   * shows that two devices sign with one key; a device that does not count stays at 0 (WebAuthn
   * section 6.1.1).
   *
   * @param before the counter seen before
   */
  public boolean follows(long before) {
    return counter > before || counter == 0 && before == 0;
  }
}
