package tolvin.connectors.git;

import java.util.Optional;
import tolvin.core.pair.Signer;
import tolvin.core.port.Login;

/**
 * A git repository that holds keys as files, and is changed by commit and push over SSH.
 *
 * @param login how Tolvin reaches it
 * @param path the repository's path there, as git gives it to the server
 * @param branch the branch that counts
 * @param files the names of an account's files from the repository's root: {@code {login}} stands
 *     for the account's login, and {@code {key}} for the key where each has a file of its own
 * @param author who commits, as {@code Name <address>}
 * @param signer with what commits are signed; empty if they are not
 */
public record KeyRepository(
    Login login, String path, String branch, String files, String author, Optional<Signer> signer) {
  /** What stands for the account's login. */
  public static final String LOGIN = "{login}";

  /** What stands for one key. */
  public static final String KEY = "{key}";

  /**
   * What is wrong with a pattern; empty if nothing is. A pattern stays inside of the repository and
   * outside of what git keeps for itself.
   */
  public static Optional<String> flaw(String pattern) {
    if (!pattern.contains(LOGIN)) {
      return Optional.of("It must contain {login}.");
    }
    for (String part : pattern.split("/", -1)) {
      if (part.isEmpty()
          || part.equals(".")
          || part.equals("..")
          || part.equalsIgnoreCase(".git")) {
        return Optional.of("It must be a path inside of the repository, without . and .. in it.");
      }
    }
    return Optional.empty();
  }

  /** The destination's name, for sentences. */
  public String name() {
    return login.server().name();
  }

  /** Whether every key has a file of its own. */
  public boolean isFileForEachKey() {
    return files.contains(KEY);
  }

  /** Never shows the signer. */
  @Override
  public String toString() {
    return path + " at " + login;
  }
}
