package tolvin.connectors.ssh;

import java.io.IOException;
import java.util.Arrays;
import java.util.Collection;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import org.apache.sshd.sftp.client.SftpClient.Attributes;
import tolvin.core.port.Login;
import tolvin.core.port.PortException;
import tolvin.core.port.PortException.Kind;
import tolvin.core.server.SaidOfServer;
import tolvin.core.server.ServerAbility;

/** Files on a server, in whichever way the server lets a login reach them. */
abstract class RemoteFiles {
  /** The largest file that is read whole. */
  static final int MAX_FILE = 16 * 1024 * 1024;

  /** What stands between a file's name and that of the attempt which writes beside it. */
  static final String BESIDE = ".tolvin-";

  private static final int MODE = 07777;

  private final Login login;
  private final Traffic traffic;
  private final String serverVersion;
  private String home;

  /**
   * Files of a login.
   *
   * @param serverVersion what the server calls itself (RFC 4253 section 4.2); may be null
   */
  RemoteFiles(Login login, Traffic traffic, String serverVersion) {
    this.login = login;
    this.traffic = traffic;
    this.serverVersion = serverVersion;
  }

  /** Whose files these are. */
  final Login login() {
    return login;
  }

  /** Where is counted what goes over the network. */
  final Traffic traffic() {
    return traffic;
  }

  /** What the server makes of its files of keys, by what was said and what it calls itself. */
  final ServerAbility ability(SaidOfServer said) {
    return said.ability(Optional.ofNullable(serverVersion));
  }

  /** Whether it calls itself an OpenSSH server as Debian, and what is made from it, builds it. */
  final boolean isDebiansOpenSsh() {
    return serverVersion != null
        && serverVersion.matches("SSH-2\\.0-OpenSSH_\\S+ (Debian|Ubuntu|Raspbian)-.*");
  }

  /** What a path leads to, without following a symbolic link; empty if nothing is there. */
  abstract Optional<Attributes> look(String path) throws PortException, IOException;

  /** What some paths lead to, likewise, in as few turns as the server lets us. */
  abstract Map<String, Optional<Attributes>> look(Collection<String> paths)
      throws PortException, IOException;

  /**
   * A small file with the attributes of some paths, in few turns; empty where that cannot be asked
   * at once.
   */
  abstract Optional<Glance> glance(String file, List<String> paths)
      throws PortException, IOException;

  /** A part of a file's content; empty if it is not there. */
  abstract Optional<byte[]> read(String path, long from, int atMost)
      throws PortException, IOException;

  /**
   * Writes a new file whole and makes the disk keep it. Owner and mode are set before its first
   * byte. What a crash left behind under that name is removed first; a symbolic link is never
   * followed.
   *
   * @param as whose owner it gets; empty for Tolvin's own login
   */
  abstract void writeNew(String path, byte[] content, int mode, Optional<Attributes> as)
      throws PortException, IOException;

  /** Renames over what is there, in one step. */
  abstract void replace(String from, String to) throws PortException, IOException;

  /** Gives a file a second name, so that it stays when the first goes. */
  abstract void keepAs(String path, String second) throws PortException, IOException;

  /** Removes a file; nothing happens if it is not there. */
  abstract void remove(String path) throws PortException, IOException;

  /** Makes a directory that only its owner may enter. */
  abstract void makeDirectory(String path) throws PortException, IOException;

  /** The path of what is there without symbolic links in it, as the server sees it. */
  abstract String real(String path) throws PortException, IOException;

  /** The names in a directory. */
  abstract List<String> names(String directory) throws PortException, IOException;

  /** The directory that the login begins in. */
  abstract String begin() throws PortException, IOException;

  /** Refuses a path that somebody else could lead elsewhere; see {@link SafePath}. */
  final void demandSafe(String path) throws PortException, IOException {
    new SafePath(this, login).demand(path);
  }

  /** A whole file's content; empty if it is not there. */
  final Optional<byte[]> read(String path) throws PortException, IOException {
    Optional<byte[]> content = read(path, 0, MAX_FILE);
    if (content.filter(c -> c.length == MAX_FILE).isPresent()) {
      throw new PortException(
          Kind.UNEXPECTED,
          path + " on " + login.server().name() + " has more than 16 MiB.",
          "Look at the file; that is no list of keys.");
    }
    return content;
  }

  /** A path from the root, with the login's own directory before a relative one. */
  final String whole(String path) throws PortException, IOException {
    return path.startsWith("/") ? path : home() + "/" + path;
  }

  /** The login's own directory. */
  final String home() throws PortException, IOException {
    home = home == null ? begin() : home;
    return home;
  }

  /** The mode bits of a file. */
  static int mode(Attributes attributes) {
    return attributes.getPermissions() & MODE;
  }

  /** Removes what was written beside a file; what stays is worked off by whoever settles it. */
  final void removeQuietly(String path) {
    try {
      remove(path);
    } catch (PortException | IOException leftBehind) {
      // It is on record that it may lie there, and it is removed later.
    }
  }

  /** Removes a file and looks that it is not there any more. */
  final void removeForGood(String path) throws PortException, IOException {
    remove(path);
    if (look(path).isPresent()) {
      throw new PortException(
          Kind.UNEXPECTED,
          path + " on " + login.server().name() + " was removed and is there again.",
          "Find out who writes it.");
    }
  }

  /** The files in a directory that attempts wrote beside a file or its companion. */
  final List<String> startingWith(String path, String beside, String companion)
      throws PortException, IOException {
    int slash = path.lastIndexOf('/');
    String directory = slash <= 0 ? "." : path.substring(0, slash);
    String name = path.substring(slash + 1);
    return names(directory).stream()
        .filter(n -> n.startsWith(name + beside) || n.startsWith(name + companion + beside))
        .toList();
  }

  /** What the login may not do to a path. */
  final PortException forbidden(String action, String path, Throwable cause) {
    return new PortException(
        Kind.NOT_ALLOWED,
        login + " may not " + action + " " + on(path) + ".",
        "Look at the owner and mode of the file and of its directory.",
        cause);
  }

  /** What cannot be done to a path since its directory is not there. */
  final PortException nowhere(String action, String path, Throwable cause) {
    return new PortException(
        Kind.NOT_ALLOWED,
        "Could not " + action + " " + on(path) + ": the directory is missing.",
        "Make the directory, or correct the path.",
        cause);
  }

  /** A file that could not be written whole. */
  final PortException cutShort(String path, String said, Throwable cause) {
    return new PortException(
        Kind.NO_SPACE,
        "Could not write " + on(path) + " whole (" + said + ").",
        "Look whether its disk or quota is full; the file that was there is untouched.",
        cause);
  }

  /** A file of which only a part was written. */
  final PortException onlyPart(String path, long size, int wanted) {
    return cutShort(path, "only " + size + " of " + wanted + " bytes", null);
  }

  /** What failed for another reason, which the server says. */
  final PortException failed(String action, String path, String said, Throwable cause) {
    return new PortException(
        Kind.UNEXPECTED,
        "Could not " + action + " " + on(path) + ": " + said + ".",
        "Look at the server's log.",
        cause);
  }

  /** A file that would belong to somebody else afterwards. */
  final PortException ofAnother(Attributes as, long now, Throwable cause) {
    return new PortException(
        Kind.NOT_ALLOWED,
        "The file belongs to user "
            + as.getUserId()
            + " and would belong to user "
            + now
            + " afterwards, and "
            + login
            + " may not change that.",
        "Let Tolvin sign in as the account itself, or as a login that may set owners.",
        cause);
  }

  private String on(String path) {
    return path + " on " + login.server().name();
  }

  static PortException lost(Login login, IOException e) {
    return new PortException(
        Kind.UNREACHABLE,
        "The connection to " + login.server().name() + " was lost: " + e.getMessage() + ".",
        "It is tried again by itself.",
        e);
  }

  /** A connection that was lost in the middle of a change. */
  final PortException unknown(IOException e) {
    return new PortException(
        Kind.UNKNOWN_OUTCOME,
        "The connection to "
            + login.server().name()
            + " was lost in the middle of a change: "
            + e.getMessage()
            + ".",
        "It is looked at again before anything else is done.",
        e);
  }

  /** Whether two contents are the same. */
  static boolean same(Optional<byte[]> one, Optional<byte[]> other) {
    return one.isPresent() == other.isPresent()
        && (one.isEmpty() || Arrays.equals(one.get(), other.get()));
  }
}
