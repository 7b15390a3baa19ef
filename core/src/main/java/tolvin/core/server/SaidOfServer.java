package tolvin.core.server;

import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.TreeSet;
import java.util.stream.Collectors;
import java.util.stream.Stream;
import tolvin.core.word.Words;

/**
 * What somebody said of a server, which goes before what it calls itself.
 *
 * @param kind which kind it is; empty if it is to be asked
 * @param format how keys stand in its files; empty for what is usual with its kind
 * @param options the options before a key that it takes, in lower case; empty for those of its kind
 */
public record SaidOfServer(
    Optional<ServerKind> kind, Optional<KeysFormat> format, Optional<Set<String>> options) {
  /** The setting of a destination that says which kind its server is. */
  public static final String KIND = "server";

  /** The setting that says how keys stand in its files. */
  public static final String FORMAT = "format";

  /** The setting that says which options it takes, with commas between them. */
  public static final String OPTIONS = "options";

  /** The setting that names the files besides the first in which it looks for an account's keys. */
  public static final String FURTHER_FILES = "further-files";

  /** What that setting holds where there are none. */
  public static final String NO_FILES = "none";

  /** What a setting holds where nothing is said. */
  public static final String NOTHING_SAID = "as-it-says";

  /** Nothing was said. */
  public static final SaidOfServer NOTHING =
      new SaidOfServer(Optional.empty(), Optional.empty(), Optional.empty());

  /**
   * What the settings of a destination say.
   *
   * @param settings what is missing there was not said
   */
  public static SaidOfServer in(Map<String, String> settings) {
    return new SaidOfServer(
        said(ServerKind.class, settings.get(KIND)),
        said(KeysFormat.class, settings.get(FORMAT)),
        Optional.ofNullable(settings.get(OPTIONS))
            .filter(list -> !list.equals(NOTHING_SAID))
            .map(SaidOfServer::names));
  }

  private static Set<String> names(String list) {
    return Stream.of(list.split(","))
        .map(name -> name.strip().toLowerCase(Locale.ROOT))
        .filter(name -> !name.isEmpty())
        .collect(Collectors.toCollection(TreeSet::new));
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
        kind.orElseGet(() -> identification.map(ServerKind::of).orElse(ServerKind.OPENSSH));
    return new ServerAbility(known, format.orElse(known.format()), options);
  }
}
