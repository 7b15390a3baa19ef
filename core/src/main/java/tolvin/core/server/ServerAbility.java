package tolvin.core.server;

import java.util.Optional;
import java.util.Set;

/**
 * What a server makes of its files of keys.
 *
 * @param kind whose rules it goes by
 * @param format how keys stand in them
 * @param options the names of the options before a key that it takes, in lower case; empty for all
 *     those of its kind
 */
public record ServerAbility(ServerKind kind, KeysFormat format, Optional<Set<String>> options) {
  /** What OpenSSH's server can. */
  public static final ServerAbility OPENSSH = usual(ServerKind.OPENSSH);

  /** What servers of a kind can, as long as nobody says otherwise. */
  public static ServerAbility usual(ServerKind kind) {
    return new ServerAbility(kind, kind.format(), Optional.empty());
  }
}
