package tolvin.core.estate;

/** How a private key is kept. */
public enum Custody {
  /** In a file on a machine. */
  MACHINE,

  /** Inside a security key. */
  DEVICE,

  /** In Tolvin's own encrypted store. */
  COFFER,

  /** Inside a hardware module. */
  MODULE,

  /** In a way that is not known here. */
  ELSEWHERE
}
