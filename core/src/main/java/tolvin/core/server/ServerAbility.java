package tolvin.core.server;

/**
 * What a server makes of its files of keys.
 *
 * @param kind whose rules it goes by
 * @param format how keys stand in them
 */
public record ServerAbility(ServerKind kind, KeysFormat format) {
  /** What OpenSSH's server can. */
  public static final ServerAbility OPENSSH =
      new ServerAbility(ServerKind.OPENSSH, KeysFormat.LINES);
}
