package tolvin.core.server;

/** How keys stand in a server's file of keys. */
public enum KeysFormat {
  /** A line for each key, with options before it (sshd(8), AUTHORIZED_KEYS FILE FORMAT). */
  LINES,
  /** A block for each key, with headers (RFC 4716 section 3). */
  BLOCKS
}
