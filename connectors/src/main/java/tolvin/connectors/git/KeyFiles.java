package tolvin.connectors.git;

import java.util.regex.Matcher;
import java.util.regex.Pattern;
import tolvin.core.key.Fingerprint;
import tolvin.core.port.PortException;
import tolvin.core.port.PortException.Kind;

/**
 * Which files of a repository belong to an account: a pattern such as {@code keys/{login}.pub}, or
 * {@code keys/{login}/{key}.pub} where each key has a file of its own.
 */
final class KeyFiles {
  private static final Pattern PLAIN_LOGIN = Pattern.compile("[A-Za-z0-9_@][A-Za-z0-9._@-]{0,63}");
  private static final int KEY_LETTERS = 16;

  private final String pattern;
  private final String login;
  private final Pattern names;

  private KeyFiles(String pattern, String login) {
    this.pattern = pattern.replace(KeyRepository.LOGIN, login);
    this.login = login;
    StringBuilder regex = new StringBuilder();
    int at = 0;
    Matcher key = Pattern.compile(Pattern.quote(KeyRepository.KEY)).matcher(this.pattern);
    while (key.find()) {
      regex.append(Pattern.quote(this.pattern.substring(at, key.start()))).append("[^/]+");
      at = key.end();
    }
    this.names =
        Pattern.compile(regex.append(Pattern.quote(this.pattern.substring(at))).toString());
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
    return new KeyFiles(repository.files(), login);
  }

  /** Whether a file of the repository is one of them. */
  boolean has(String path) {
    return names.matcher(path).matches();
  }

  /** The file that a key goes into. */
  String fileFor(Fingerprint key) {
    return pattern.replace(
        KeyRepository.KEY,
        key.value()
            .replaceAll("[^A-Za-z0-9]", "")
            .substring("SHA256".length())
            .substring(0, KEY_LETTERS));
  }

  @Override
  public String toString() {
    return pattern + " of " + login;
  }
}
