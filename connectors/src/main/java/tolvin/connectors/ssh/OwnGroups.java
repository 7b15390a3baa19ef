package tolvin.connectors.ssh;

import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.util.List;
import java.util.Optional;
import org.apache.sshd.sftp.client.SftpClient.Attributes;
import tolvin.core.diagnosis.Circumstances.PathStep;
import tolvin.core.port.PortException;

/**
 * Groups that have nobody but one user. Debian gives each user one, with a umask by which it may
 * write, and its OpenSSH server does not mind that (user-group-modes.patch in its source package,
 * secure_permissions): one member, who owns the file, and whose account it is.
 *
 * <p>Who is in a group is read from the server's passwd(5) and group(5). Where users may come from
 * elsewhere, too (nsswitch.conf(5)), or one of these files cannot be read, nobody can be sure, and
 * a group that may write counts as one with others in it.
 */
final class OwnGroups {
  private static final int MODE = 07777;
  private static final int GROUP_WRITES = 020;
  private static final List<String> LOCAL = List.of("files", "compat", "systemd");

  private final RemoteFiles files;
  private List<String[]> users;
  private List<String[]> groups;
  private boolean isLocal;

  /** Of a server; they are read when they are first asked for. */
  OwnGroups(RemoteFiles files) {
    this.files = files;
  }

  /** A file or directory on the way to a file of keys. */
  PathStep step(String path, Attributes a) throws IOException {
    boolean asks = (a.getPermissions() & GROUP_WRITES) != 0 && a.getUserId() != 0;
    return new PathStep(
        path,
        a.isDirectory(),
        a.getPermissions() & MODE,
        a.getUserId(),
        asks && files.isDebiansOpenSsh() && isOwn(a.getGroupId(), a.getUserId()));
  }

  private boolean isOwn(int group, int user) throws IOException {
    if (users == null) {
      read();
    }
    return isLocal && isOwn(Integer.toString(group), Integer.toString(user), users, groups);
  }

  private void read() throws IOException {
    try {
      users = fields("/etc/passwd", 4);
      groups = fields("/etc/group", 3);
      isLocal = isLocal();
    } catch (PortException mayNot) {
      users = List.of(); // and nothing is certain
    }
  }

  /**
   * Whether a group has one user and nobody else, as their first group or by name.
   *
   * @param users lines of passwd(5): name, password, number, number of the first group
   * @param groups lines of group(5): name, password, number, and names where there are some
   */
  static boolean isOwn(String group, String user, List<String[]> users, List<String[]> groups) {
    List<String> first =
        users.stream().filter(u -> u[3].equals(group)).map(u -> u[2]).distinct().toList();
    List<String> names = users.stream().filter(u -> u[2].equals(user)).map(u -> u[0]).toList();
    List<String> more =
        groups.stream()
            .filter(g -> g[2].equals(group) && g.length > 3 && !g[3].isBlank())
            .flatMap(g -> List.of(g[3].split(",")).stream())
            .toList();
    boolean isKnown = groups.stream().filter(g -> g[2].equals(group)).count() == 1;
    boolean isNobody = first.isEmpty() && more.isEmpty();
    return isKnown
        && !isNobody
        && List.of(user).containsAll(first)
        && names.containsAll(more)
        && more.size() < 2;
  }

  /** Whether users and groups come from these files alone. */
  private boolean isLocal() throws PortException, IOException {
    return text("/etc/nsswitch.conf")
        .map(
            text ->
                text.lines()
                    .map(line -> line.replaceFirst("#.*", "").strip())
                    .filter(line -> line.matches("(passwd|group|initgroups)\\s*:.*"))
                    .flatMap(line -> List.of(line.split(":", 2)[1].strip().split("\\s+")).stream())
                    .allMatch(LOCAL::contains))
        .orElse(true); // what is usual without it
  }

  private List<String[]> fields(String path, int least) throws PortException, IOException {
    return text(path).stream()
        .flatMap(String::lines)
        .map(line -> line.split(":"))
        .filter(fields -> fields.length >= least)
        .toList();
  }

  /** A whole file: one that was cut short would hide who else is in a group. */
  private Optional<String> text(String path) throws PortException, IOException {
    return files.read(path).map(bytes -> new String(bytes, StandardCharsets.ISO_8859_1));
  }
}
