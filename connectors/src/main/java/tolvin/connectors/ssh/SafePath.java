package tolvin.connectors.ssh;

import java.io.IOException;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import org.apache.sshd.sftp.client.SftpClient.Attributes;
import tolvin.core.port.Login;
import tolvin.core.port.PortException;
import tolvin.core.port.PortException.Kind;

/**
 * Whether a path stays what it is between a look and a change. SFTP names files by path, again at
 * every step; the owner of a directory on the way can lead the second step elsewhere, with the
 * rights of Tolvin's login. So every directory on the way has to belong to root or to that login,
 * and nobody else may write into it, as sshd asks for with StrictModes (sshd_config(5)); a symbolic
 * link on the way has to be root's or the login's own. Of a file in the login's own home directory
 * that directory is the first one looked at.
 */
final class SafePath {
  private static final int OTHERS_MAY_WRITE = 0022;
  private static final int STICKY = 01000;
  private static final int ROOT = 0;

  private final RemoteFiles files;
  private final Login login;

  SafePath(RemoteFiles files, Login login) {
    this.files = files;
    this.login = login;
  }

  /**
   * Refuses a file in whose place somebody else could put another one.
   *
   * @param path the file, which need not be there, nor its directory
   * @throws PortException if somebody could, with what to do instead
   */
  void demand(String path) throws PortException, IOException {
    String whole = files.whole(path);
    if (("/" + whole + "/").contains("/../")) {
      throw new PortException(
          Kind.NOT_ALLOWED,
          path + " leads upwards with “..”.",
          "Give the path without it, from the root or from the login's own directory.");
    }
    String home = files.home();
    String inside = home + "/";
    List<String> above =
        above(whole).stream()
            .filter(d -> !whole.startsWith(inside) || (d + "/").startsWith(inside))
            .toList();
    List<String> asked = new ArrayList<>(above);
    asked.add(home);
    Map<String, Optional<Attributes>> there = files.look(asked);
    int self =
        login.user().equals("root")
            ? ROOT
            : there.get(home).map(Attributes::getUserId).orElse(ROOT);
    boolean led = false;
    for (String directory : above) {
      Optional<Attributes> attributes = there.get(directory);
      if (attributes.isEmpty()) {
        break; // what is missing is made below what was looked at
      }
      led |= attributes.get().isSymbolicLink();
      check(directory, attributes.get(), self);
    }
    if (led) {
      String real = files.real(above.get(above.size() - 1));
      for (Map.Entry<String, Optional<Attributes>> one :
          files.look(above(real + "/file")).entrySet()) {
        if (one.getValue().isPresent()) {
          check(one.getKey(), one.getValue().get(), self);
        }
      }
    }
  }

  private void check(String directory, Attributes attributes, int self) throws PortException {
    int owner = attributes.getUserId();
    if (owner != ROOT && owner != self) {
      throw new PortException(
          Kind.NOT_ALLOWED,
          directory
              + " belongs to user "
              + owner
              + ", who could lead "
              + login
              + " to another file while it writes.",
          "Let Tolvin sign in as the account itself, or keep the files in a directory of root's, such as"
              + " /etc/ssh/keys/{login}.");
    }
    int mode = RemoteFiles.mode(attributes);
    boolean isRootsShared = owner == ROOT && (mode & STICKY) != 0;
    if (!attributes.isSymbolicLink() && (mode & OTHERS_MAY_WRITE) != 0 && !isRootsShared) {
      throw new PortException(
          Kind.NOT_ALLOWED,
          String.format(
              "Others than its owner may write into %s (mode %04o), and could lead %s to another file.",
              directory, mode, login),
          "Close it: chmod go-w " + directory + ". It goes on by itself then.");
    }
  }

  /** The directories that a file lies in, from the root on. */
  private static List<String> above(String path) {
    List<String> all = new ArrayList<>(List.of("/"));
    for (int slash = path.indexOf('/', 1); slash > 0; slash = path.indexOf('/', slash + 1)) {
      all.add(path.substring(0, slash));
    }
    return all;
  }
}
