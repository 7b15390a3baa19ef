package tolvin.connectors.git;

import java.util.List;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import tolvin.core.key.Fingerprint;
import tolvin.core.port.PortException;
import tolvin.core.port.PortException.Kind;

/**
 * Which files of a repository belong to an account: patterns such as {@code keys/{login}.pub}, or
 * {@code keys/{login}/{key}.pub} where each key has a file of its own. A new key goes where the
 * first one says.
 */
final class KeyFiles {
  private static final Pattern PLAIN_LOGIN = Pattern.compile("[A-Za-z0-9_@][A-Za-z0-9._@-]{0,63}");
  private static final int KEY_LETTERS = 16;

  /**
   * What stands for something else in a pattern; two stars with their slash are any directories.
   */
  private static final Pattern WILD =
      Pattern.compile(Pattern.quote(KeyRepository.KEY) + "|\\*\\*/|\\*");

  private final String first;
  private final String login;
  private final List<Pattern> names;

  private KeyFiles(List<String> patterns, String login) {
    List<String> whole = patterns.stream().map(p -> p.replace(KeyRepository.LOGIN, login)).toList();
    this.first = whole.get(0);
    this.login = login;
    this.names = whole.stream().map(KeyFiles::names).toList();
  }

  private static Pattern names(String pattern) {
    StringBuilder regex = new StringBuilder();
    int at = 0;
    Matcher wild = WILD.matcher(pattern);
    while (wild.find()) {
      regex
          .append(Pattern.quote(pattern.substring(at, wild.start())))
          .append(
              switch (wild.group()) {
                case "**/" -> "(?:[^/]+/)*";
                case "*" -> "[^/]*";
                default -> "[^/]+";
              });
      at = wild.end();
    }
    return Pattern.compile(regex.append(Pattern.quote(pattern.substring(at))).toString());
  }

  /**
   * The files of an account.
   *
   * @throws PortException if its login could lead out of the directory
   */
  static KeyFiles of(KeyRepository repository, String login) throws PortException {
    if (!PLAIN_LOGIN.matcher(login).matches() || login.contains("..")) {
      throw new PortException(
          Kind.NOT_ALLOWED,
          "“" + login + "” cannot be part of a file's name in " + repository.name() + ".",
          "A login there has letters, digits, dots, dashes, underscores or @.");
    }
    return new KeyFiles(repository.patterns(), login);
  }

  /** Whether a file of the repository is one of them. */
  boolean has(String path) {
    return names.stream().anyMatch(name -> name.matcher(path).matches());
  }

  /** The file that a key goes into. */
  String fileFor(Fingerprint key) {
    return first.replace(
        KeyRepository.KEY,
        key.value()
            .replaceAll("[^A-Za-z0-9]", "")
            .substring("SHA256".length())
            .substring(0, KEY_LETTERS));
  }

  @Override
  public String toString() {
    return first + " of " + login;
  }
}
