package tolvin.core.server;

import java.util.Map;
import java.util.Optional;
import tolvin.core.word.Words;

/**
 * What somebody said of a server, which goes before what it calls itself.
 *
 * @param kind which kind it is; empty if it is to be asked
 * @param format how keys stand in its files; empty for what is usual with its kind
 */
public record SaidOfServer(Optional<ServerKind> kind, Optional<KeysFormat> format) {
  /** The setting of a destination that says which kind its server is. */
  public static final String KIND = "server";

  /** The setting that says how keys stand in its files. */
  public static final String FORMAT = "format";

  /** What a setting holds where nothing is said. */
  public static final String NOTHING_SAID = "as-it-says";

  /** Nothing was said. */
  public static final SaidOfServer NOTHING = new SaidOfServer(Optional.empty(), Optional.empty());

  /**
   * What the settings of a destination say.
   *
   * @param settings what is missing there was not said
   */
  public static SaidOfServer in(Map<String, String> settings) {
    return new SaidOfServer(
        said(ServerKind.class, settings.get(KIND)), said(KeysFormat.class, settings.get(FORMAT)));
  }

  private static <E extends Enum<E>> Optional<E> said(Class<E> words, String word) {
    return word == null ? Optional.empty() : Words.read(words, word);
  }

  /**
   * What the server makes of its files, as far as is known; a server that was never met is taken
   * for OpenSSH's.
   *
   * @param identification the line with which it begins a connection; empty if that is not known
   *     yet
   */
  public ServerAbility ability(Optional<String> identification) {
    ServerKind known =
        kind.orElseGet(() -> identification.map(ServerKind::told).orElse(ServerKind.OPENSSH));
    return new ServerAbility(known, format.orElse(known.format()));
  }
}
