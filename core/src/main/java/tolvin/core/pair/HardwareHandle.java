package tolvin.core.pair;

import tolvin.core.key.PublicKey;
import tolvin.core.key.RefusedException;
import tolvin.core.key.Wire;

/**
 * What a hardware key's private file holds (OpenSSH PROTOCOL.u2f): nothing that signs, only what
 * the device needs to find its key again.
 *
 * @param key the public key
 * @param flags what the device demands before it signs
 * @param handle the device's own handle of the key
 */
public record HardwareHandle(PublicKey key, int flags, byte[] handle) {
  /** The device wants to be touched. */
  public static final int TOUCH = 0x01;

  /** The device wants a PIN or another check of the person. */
  public static final int VERIFICATION = 0x04;

  /** The device keeps the key itself, so that it can be loaded on another machine. */
  public static final int RESIDENT = 0x20;

  /** Whether one of the flags is set. */
  public boolean has(int flag) {
    return (flags & flag) != 0;
  }

  /**
   * Reads a handle's fields as they stand in a private section, and as they travel between
   * OpenSSH's own programs.
   *
   * @throws RefusedException if they are not those of a hardware key
   */
  public static HardwareHandle read(byte[] fields) throws RefusedException {
    return PrivateSection.readHandle(new Wire(fields));
  }

  /** The handle's fields as they stand in a private section. */
  public byte[] fields() {
    return PrivateSection.handleFields(this);
  }

  @Override
  public String toString() {
    return "HardwareHandle[" + key + "]";
  }
}
