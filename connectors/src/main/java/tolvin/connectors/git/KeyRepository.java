package tolvin.connectors.git;

import java.util.List;
import java.util.Optional;
import tolvin.core.pair.Signer;
import tolvin.core.port.Login;

/**
 * A git repository that holds keys as files, and is changed by commit and push over SSH.
 *
 * @param login how Tolvin reaches it
 * @param path the repository's path there, as git gives it to the server
 * @param branch the branch that counts
 * @param files the names of an account's files from the repository's root, one or several patterns
 *     with blanks between: {@code {login}} stands for the account's login, {@code {key}} for the
 *     key where each has a file of its own, {@code *} for a part of a name and {@code **&#47;} for
 *     any directories; the first one has no stars and says where new keys go
 * @param takesOneKeyEach whether what reads the repository takes one key from a file, without
 *     options, and ignores a file with more
 * @param author who commits, as {@code Name <address>}
 * @param signer with what commits are signed; empty if they are not
 */
public record KeyRepository(
    Login login,
    String path,
    String branch,
    String files,
    boolean takesOneKeyEach,
    String author,
    Optional<Signer> signer) {
  /** What stands for the account's login. */
  public static final String LOGIN = "{login}";

  /** What stands for one key. */
  public static final String KEY = "{key}";

  /** Of whatever reads any number of keys from a file. */
  public KeyRepository(
      Login login,
      String path,
      String branch,
      String files,
      String author,
      Optional<Signer> signer) {
    this(login, path, branch, files, false, author, signer);
  }

  /** The patterns of an account's files. */
  List<String> patterns() {
    return patterns(files);
  }

  private static List<String> patterns(String files) {
    return List.of(files.strip().split("\\s+"));
  }

  /**
   * What is wrong with patterns; empty if nothing is. A pattern stays inside of the repository and
   * outside of what git keeps for itself.
   *
   * @param oneKeyEach whether a file may hold one key only
   */
  public static Optional<String> flaw(String files, boolean oneKeyEach) {
    String first = patterns(files).get(0);
    if (first.contains("*")) {
      return Optional.of("The first one says where new keys go, so no * can stand in it.");
    }
    if (oneKeyEach && !first.contains(KEY)) {
      return Optional.of(
          "Where a file may hold one key only, the first one must contain {key}, or the second key"
              + " of an account would make its file count for nothing.");
    }
    return patterns(files).stream().flatMap(pattern -> flaw(pattern).stream()).findFirst();
  }

  private static Optional<String> flaw(String pattern) {
    if (!pattern.contains(LOGIN)) {
      return Optional.of("Each must contain {login}.");
    }
    for (String part : pattern.split("/", -1)) {
      if (part.isEmpty()
          || part.equals(".")
          || part.equals("..")
          || part.equalsIgnoreCase(".git")) {
        return Optional.of("Each must be a path inside of the repository, without . and .. in it.");
      }
    }
    return Optional.empty();
  }

  /** The destination's name, for sentences. */
  public String name() {
    return login.server().name();
  }

  /** Never shows the signer. */
  @Override
  public String toString() {
    return path + " at " + login;
  }
}
