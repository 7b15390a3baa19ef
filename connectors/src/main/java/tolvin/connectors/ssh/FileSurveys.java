package tolvin.connectors.ssh;

import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.time.Instant;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import java.util.regex.Pattern;
import org.apache.sshd.sftp.client.SftpClient.Attributes;
import tolvin.connectors.shared.KeyLines;
import tolvin.core.authorized.AuthorizedKeys;
import tolvin.core.diagnosis.Circumstances.PathStep;
import tolvin.core.estate.Registered;
import tolvin.core.port.Place.OverSsh;
import tolvin.core.port.PortException;
import tolvin.core.sweep.FindingKind;
import tolvin.core.sweep.IgnoredLines;
import tolvin.core.sweep.Seen;
import tolvin.core.sweep.ServerConfiguration;

/** Looks at an account's file of keys, the way to it, and the server's configuration. */
public final class FileSurveys {
  private static final int MOST_CONFIG = 256 * 1024;
  private static final int DEEPEST = 40;

  private final SshConnections connections;

  /** Works over these connections. */
  public FileSurveys(SshConnections connections) {
    this.connections = connections;
  }

  /**
   * Reads an account's file of keys, and the further ones where it has several.
   *
   * @throws PortException if the file could not be read
   */
  public Seen survey(OverSsh file, Instant now) throws PortException {
    return connections.use(
        file.login(),
        files -> {
          OwnGroups groups = new OwnGroups(files);
          OneFile first = look(files, groups, file, file.path());
          List<Registered> registered = new ArrayList<>(KeyLines.registered(first.keys()));
          List<Seen.IgnoredLine> ignored = new ArrayList<>(IgnoredLines.of(first.keys()));
          List<PathStep> furtherPath = new ArrayList<>();
          List<String> known = new ArrayList<>();
          for (String path : file.further()) {
            OneFile further = look(files, groups, file, path);
            registered.addAll(KeyLines.registered(further.keys()));
            ignored.addAll(IgnoredLines.of(path, further.keys()));
            furtherPath.addAll(further.path());
            known.add(further.whole());
          }
          furtherPath.removeAll(first.path());
          return new Seen(
              now,
              registered,
              ignored,
              first.path(),
              furtherPath.stream().distinct().toList(),
              first.owner(),
              first.hasSecond() && !known.contains(second(first.whole()))
                  ? List.of(new Seen.Door(FindingKind.SECOND_FILE, second(first.whole())))
                  : List.of(),
              Optional.empty());
        });
  }

  /**
   * A file of keys.
   *
   * @param whole its path from the root
   * @param path it and the directories above it
   * @param owner whose home directory it is below
   * @param hasSecond whether the file is there that an OpenSSH server reads besides unless it is
   *     told otherwise
   */
  private record OneFile(
      String whole,
      AuthorizedKeys keys,
      List<PathStep> path,
      Optional<Long> owner,
      boolean hasSecond) {}

  private static OneFile look(RemoteFiles files, OwnGroups groups, OverSsh account, String file)
      throws PortException, IOException {
    String whole = files.whole(file);
    Optional<String> home = home(whole, account.all(), files);
    Optional<Glance> glance = files.glance(whole, wanted(whole, home));
    Looking look = path -> at(glance, path, files);
    Optional<byte[]> content = glance.flatMap(Glance::content);
    if (content.isEmpty() && look.at(whole).isPresent()) {
      content = files.read(whole); // a large one, or a link
    }
    List<PathStep> path = new ArrayList<>();
    if (!walked(look, whole, home, path, groups) && content.isPresent()) {
      whole = files.real(whole);
      home = home(whole, account.all(), files);
      path.clear();
      walked(files::look, whole, home, path, groups);
    }
    return new OneFile(
        whole,
        AuthorizedKeysFiles.keys(files, account, content),
        path,
        owner(path, home),
        whole.endsWith("/authorized_keys") && look.at(second(whole)).isPresent());
  }

  /** A look at a path, whichever way. */
  @FunctionalInterface
  private interface Looking {
    Optional<Attributes> at(String path) throws PortException, IOException;
  }

  /** As it was seen at a glance; what the server would not say then is asked by itself. */
  private static Optional<Attributes> at(Optional<Glance> glance, String path, RemoteFiles files)
      throws PortException, IOException {
    return glance.isPresent() && glance.get().there().containsKey(path)
        ? glance.get().there().get(path)
        : files.look(path);
  }

  /** All paths that are of interest, the file's own first. */
  private static List<String> wanted(String file, Optional<String> home) {
    List<String> paths = wayUp(file, home);
    paths.add(second(file));
    return paths;
  }

  /** The file and the directories above it, up to the home directory or to the root. */
  static List<String> wayUp(String file, Optional<String> home) {
    List<String> paths = new ArrayList<>();
    String at = file;
    while (paths.size() < DEEPEST) {
      paths.add(at);
      if (at.length() <= 1 || home.filter(at::equals).isPresent()) {
        break;
      }
      at = above(at);
    }
    return paths;
  }

  /**
   * The home directory that a file lies below, where that can be told: the login's own, or the one
   * above the usual place of it or of another file of the account's.
   *
   * @param account all files of the account's keys
   */
  static Optional<String> home(String file, List<String> account, RemoteFiles files)
      throws PortException, IOException {
    String directory = above(file);
    if (directory.endsWith("/.ssh")) {
      return Optional.of(above(directory));
    }
    for (String other : account) {
      String place = above(files.whole(other));
      if (place.endsWith("/.ssh") && file.startsWith(above(place) + "/")) {
        return Optional.of(above(place));
      }
    }
    String own = files.home();
    return own.length() > 1 && file.startsWith(own + "/") ? Optional.of(own) : Optional.empty();
  }

  private static String above(String path) {
    return path.substring(0, Math.max(1, path.lastIndexOf('/')));
  }

  /**
   * What sshd looks at with StrictModes: the file and every directory above it, up to the home
   * directory, or to the root where the file lies elsewhere (sshd_config(5), StrictModes).
   *
   * @param path takes what was seen
   * @return whether no symbolic link is on the way, which sshd would follow
   */
  private static boolean walked(
      Looking look, String file, Optional<String> home, List<PathStep> path, OwnGroups groups)
      throws PortException, IOException {
    boolean plain = true;
    for (String at : wayUp(file, home)) {
      Optional<Attributes> a = look.at(at);
      if (a.isPresent()) {
        plain &= !a.get().isSymbolicLink();
        path.add(groups.step(at, a.get()));
      }
    }
    return plain;
  }

  /** The account's files belong to whoever its home directory belongs to. */
  private static Optional<Long> owner(List<PathStep> path, Optional<String> home) {
    return path.stream()
        .filter(step -> home.filter(step.path()::equals).isPresent())
        .map(PathStep::owner)
        .findFirst();
  }

  private static String second(String path) {
    return path + "2";
  }

  /**
   * The doors that a server's configuration opens for its accounts.
   *
   * @throws PortException if it could not be read
   */
  public List<Seen.Door> doors(OverSsh where, String configPath) throws PortException {
    return connections.use(
        where.login(),
        files -> {
          String text =
              text(files, configPath)
                  .orElseThrow(
                      () ->
                          new PortException(
                              PortException.Kind.NOT_ALLOWED,
                              "The configuration "
                                  + configPath
                                  + " is not there on "
                                  + where.login().server().name()
                                  + ".",
                              "Correct its path: tolvin destination change … --config PATH"));
          return ServerConfiguration.doors(text, pattern -> matching(files, pattern), where.all());
        });
  }

  private static Optional<String> text(RemoteFiles files, String path)
      throws PortException, IOException {
    return files
        .read(path, 0, MOST_CONFIG)
        .map(bytes -> new String(bytes, StandardCharsets.ISO_8859_1));
  }

  /** The contents of the files that an Include names; what cannot be read is passed over. */
  private static List<String> matching(RemoteFiles files, String pattern) {
    String path = pattern.startsWith("/") ? pattern : "/etc/ssh/" + pattern;
    int slash = path.lastIndexOf('/');
    StringBuilder regex = new StringBuilder();
    for (char c : path.substring(slash + 1).toCharArray()) {
      regex.append(c == '*' ? ".*" : c == '?' ? "." : Pattern.quote(String.valueOf(c)));
    }
    List<String> found = new ArrayList<>();
    try {
      for (String name : files.names(path.substring(0, slash)).stream().sorted().toList()) {
        if (name.matches(regex.toString())) {
          text(files, path.substring(0, slash + 1) + name).ifPresent(found::add);
        }
      }
    } catch (PortException | IOException mayNot) {
      return found;
    }
    return found;
  }
}
