package tolvin.connectors.ssh;

import java.io.ByteArrayOutputStream;
import java.io.IOException;
import java.io.UncheckedIOException;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.Collection;
import java.util.EnumSet;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import org.apache.sshd.common.util.buffer.Buffer;
import org.apache.sshd.sftp.client.RawSftpClient;
import org.apache.sshd.sftp.client.SftpClient;
import org.apache.sshd.sftp.client.SftpClient.Attributes;
import org.apache.sshd.sftp.client.SftpClient.OpenMode;
import org.apache.sshd.sftp.client.extensions.helpers.AbstractSftpClientExtension;
import org.apache.sshd.sftp.client.extensions.openssh.OpenSSHFsyncExtension;
import org.apache.sshd.sftp.client.extensions.openssh.OpenSSHPosixRenameExtension;
import org.apache.sshd.sftp.common.SftpConstants;
import org.apache.sshd.sftp.common.SftpException;
import tolvin.core.port.Login;
import tolvin.core.port.PortException;
import tolvin.core.port.PortException.Kind;
import tolvin.core.server.SaidOfServer;
import tolvin.core.server.ServerAbility;

/**
 * Files on a server over SFTP (draft-ietf-secsh-filexfer-02 with the extensions of OpenSSH's
 * PROTOCOL, section 4.3: posix-rename, fsync, hardlink).
 */
final class RemoteFiles {
  /** The largest file that is read whole. */
  static final int MAX_FILE = 16 * 1024 * 1024;

  /** What stands between a file's name and that of the attempt which writes beside it. */
  static final String BESIDE = ".tolvin-";

  private static final int CHUNK = 32 * 1024;
  private static final int MODE = 07777;

  private final SftpClient sftp;
  private final Login login;
  private final Traffic traffic;
  private String home;

  RemoteFiles(SftpClient sftp, Login login, Traffic traffic) {
    this.sftp = sftp;
    this.login = login;
    this.traffic = traffic;
  }

  /** What the server makes of its files of keys, by what was said and what it calls itself. */
  ServerAbility ability(SaidOfServer said) {
    return said.ability(Optional.ofNullable(sftp.getClientSession().getServerVersion()));
  }

  /** What a path leads to, without following a symbolic link; empty if nothing is there. */
  Optional<Attributes> look(String path) throws PortException, IOException {
    try {
      return Optional.of(sftp.lstat(path));
    } catch (SftpException e) {
      if (e.getStatus() == SftpConstants.SSH_FX_NO_SUCH_FILE) {
        return Optional.empty();
      }
      throw failed("look at", path, e);
    } catch (IOException e) {
      throw new LostBeforeEffect(lost(login, e));
    }
  }

  /** What some paths lead to, likewise, in as few turns as the server lets us. */
  Map<String, Optional<Attributes>> look(Collection<String> paths)
      throws PortException, IOException {
    Map<String, Optional<Attributes>> there = new HashMap<>();
    if (Glance.isPossible(sftp)) {
      try {
        there.putAll(Glance.at(sftp, paths));
      } catch (IOException e) {
        throw new LostBeforeEffect(lost(login, e));
      }
    }
    for (String path : paths) {
      if (!there.containsKey(path)) {
        there.put(path, look(path)); // what the server would not say at once it says by itself
      }
    }
    return there;
  }

  /** Refuses a path that somebody else could lead elsewhere; see {@link SafePath}. */
  void demandSafe(String path) throws PortException, IOException {
    new SafePath(this, login).demand(path);
  }

  /** A whole file's content; empty if it is not there. */
  Optional<byte[]> read(String path) throws PortException, IOException {
    return read(path, 0, MAX_FILE);
  }

  /** A part of a file's content; empty if it is not there. */
  Optional<byte[]> read(String path, long from, int atMost) throws PortException, IOException {
    traffic.read();
    try (SftpClient.CloseableHandle handle = sftp.open(path, OpenMode.Read)) {
      ByteArrayOutputStream content = new ByteArrayOutputStream();
      byte[] chunk = new byte[Math.min(CHUNK, atMost)];
      while (content.size() < atMost) {
        int wanted = Math.min(chunk.length, atMost - content.size());
        int got = sftp.read(handle, from + content.size(), chunk, 0, wanted);
        content.write(chunk, 0, Math.max(0, got));
        if (got < wanted) {
          // of a normal file, less than asked is the end (draft-ietf-secsh-filexfer-02, 6.4)
          return Optional.of(content.toByteArray());
        }
      }
      if (atMost == MAX_FILE) {
        throw new PortException(
            Kind.UNEXPECTED,
            path + " on " + login.server().name() + " has more than 16 MiB.",
            "Look at the file; that is no list of keys.");
      }
      return Optional.of(content.toByteArray());
    } catch (SftpException e) {
      if (e.getStatus() == SftpConstants.SSH_FX_NO_SUCH_FILE) {
        return Optional.empty();
      }
      throw failed("read", path, e);
    } catch (IOException e) {
      throw new LostBeforeEffect(lost(login, e));
    }
  }

  /**
   * Writes a new file whole and makes the disk keep it. Owner and mode are set on the open file,
   * before its first byte. What a crash left behind under that name is removed first; a symbolic
   * link is never followed.
   *
   * @param as whose owner it gets; empty for Tolvin's own login
   */
  void writeNew(String path, byte[] content, int mode, Optional<Attributes> as)
      throws PortException, IOException {
    remove(path);
    traffic.wrote();
    try (SftpClient.CloseableHandle handle =
        sftp.open(path, EnumSet.of(OpenMode.Write, OpenMode.Create, OpenMode.Exclusive))) {
      sftp.setStat(handle, new Attributes().perms(mode & MODE));
      if (as.isPresent()) {
        own(path, handle, as.get());
      }
      for (int at = 0; at < content.length; at += CHUNK) {
        sftp.write(handle, at, content, at, Math.min(CHUNK, content.length - at));
      }
      OpenSSHFsyncExtension fsync = sftp.getExtension(OpenSSHFsyncExtension.class);
      if (fsync != null && fsync.isSupported()) {
        fsync.fsync(handle);
      }
      long size = sftp.stat(handle).getSize();
      if (size != content.length) {
        throw new PortException(
            Kind.NO_SPACE,
            "Only " + size + " of " + content.length + " bytes of " + path + " could be written.",
            "Make room on that disk; the file that was there is untouched.");
      }
    } catch (SftpException e) {
      throw failed("write", path, e);
    }
  }

  private void own(String path, SftpClient.CloseableHandle handle, Attributes as)
      throws PortException, IOException {
    Attributes now = sftp.stat(handle);
    if (now.getUserId() == as.getUserId() && now.getGroupId() == as.getGroupId()) {
      return;
    }
    try {
      sftp.setStat(handle, new Attributes().owner(as.getUserId(), as.getGroupId()));
    } catch (SftpException e) {
      throw new PortException(
          Kind.NOT_ALLOWED,
          "The file belongs to user "
              + as.getUserId()
              + " and would belong to user "
              + now.getUserId()
              + " afterwards, and "
              + login
              + " may not change that.",
          "Let Tolvin sign in as the account itself, or as a login that may set owners.",
          e);
    }
  }

  /** Renames over what is there, in one step (posix-rename@openssh.com). */
  void replace(String from, String to) throws PortException, IOException {
    traffic.wrote();
    OpenSSHPosixRenameExtension rename = sftp.getExtension(OpenSSHPosixRenameExtension.class);
    if (rename == null || !rename.isSupported()) {
      throw new PortException(
          Kind.NOT_ALLOWED,
          login.server().name() + " cannot replace a file in one step.",
          "Tolvin needs an OpenSSH server with its SFTP subsystem there.");
    }
    try {
      rename.posixRename(from, to);
    } catch (SftpException e) {
      throw failed("replace", to, e);
    } catch (IOException e) {
      throw unknown(login, e);
    }
  }

  /** Gives a file a second name (hardlink@openssh.com), so that it stays when the first goes. */
  void keepAs(String path, String second) throws PortException, IOException {
    traffic.wrote();
    try {
      new HardLink(sftp).link(path, second);
    } catch (SftpException e) {
      throw failed("keep", path, e);
    }
  }

  /** Removes a file; nothing happens if it is not there. */
  void remove(String path) throws PortException, IOException {
    try {
      sftp.remove(path);
      traffic.wrote();
    } catch (SftpException e) {
      if (e.getStatus() != SftpConstants.SSH_FX_NO_SUCH_FILE) {
        throw failed("remove", path, e);
      }
    }
  }

  /** Makes a directory that only its owner may enter. */
  void makeDirectory(String path) throws PortException, IOException {
    try {
      sftp.mkdir(path);
      sftp.setStat(path, new Attributes().perms(0700));
      traffic.wrote();
    } catch (SftpException e) {
      throw failed("make the directory", path, e);
    }
  }

  /** A path from the root, with the login's own directory before a relative one. */
  String whole(String path) throws PortException, IOException {
    return path.startsWith("/") ? path : home() + "/" + path;
  }

  /** The login's own directory. */
  String home() throws PortException, IOException {
    try {
      home = home == null ? sftp.canonicalPath(".") : home;
      return home;
    } catch (SftpException e) {
      throw failed("look at", ".", e);
    }
  }

  /** The path of what is there without symbolic links in it, as the server sees it. */
  String real(String path) throws PortException, IOException {
    try {
      return sftp.canonicalPath(path);
    } catch (SftpException e) {
      throw failed("look at", path, e);
    }
  }

  /**
   * A small file with the attributes of some paths, in few turns; empty where the server speaks
   * another version of the protocol.
   */
  Optional<Glance> glance(String file, List<String> paths) throws LostBeforeEffect {
    if (!Glance.isPossible(sftp)) {
      return Optional.empty();
    }
    traffic.read();
    try {
      return Optional.of(Glance.of(sftp, file, paths));
    } catch (IOException e) {
      throw new LostBeforeEffect(lost(login, e));
    }
  }

  /** The names in a directory. */
  List<String> names(String directory) throws PortException, IOException {
    List<String> names = new ArrayList<>();
    try {
      for (SftpClient.DirEntry entry : sftp.readDir(directory)) {
        names.add(entry.getFilename());
      }
    } catch (UncheckedIOException e) {
      if (e.getCause() instanceof SftpException status) {
        throw failed("list", directory, status);
      }
      throw e.getCause();
    } catch (SftpException e) {
      throw failed("list", directory, e);
    }
    return names;
  }

  /** The mode bits of a file. */
  static int mode(Attributes attributes) {
    return attributes.getPermissions() & MODE;
  }

  /** Removes what was written beside a file; what stays is worked off by whoever settles it. */
  void removeQuietly(String path) {
    try {
      sftp.remove(path);
    } catch (IOException leftBehind) {
      // It is on record that it may lie there, and it is removed later.
    }
  }

  /** Removes a file and looks that it is not there any more. */
  void removeForGood(String path) throws PortException, IOException {
    remove(path);
    if (look(path).isPresent()) {
      throw new PortException(
          Kind.UNEXPECTED,
          path + " on " + login.server().name() + " was removed and is there again.",
          "Find out who writes it.");
    }
  }

  /** The files in a directory that attempts wrote beside a file or its companion. */
  List<String> startingWith(String path, String beside, String companion)
      throws PortException, IOException {
    int slash = path.lastIndexOf('/');
    String directory = slash <= 0 ? "." : path.substring(0, slash);
    String name = path.substring(slash + 1);
    return names(directory).stream()
        .filter(n -> n.startsWith(name + beside) || n.startsWith(name + companion + beside))
        .toList();
  }

  private PortException failed(String action, String path, SftpException e) {
    String where = path + " on " + login.server().name();
    return switch (e.getStatus()) {
      case SftpConstants.SSH_FX_PERMISSION_DENIED ->
          new PortException(
              Kind.NOT_ALLOWED,
              login + " may not " + action + " " + where + ".",
              "Look at the owner and mode of the file and of its directory.",
              e);
      case SftpConstants.SSH_FX_NO_SUCH_FILE ->
          new PortException(
              Kind.NOT_ALLOWED,
              "Could not " + action + " " + where + ": the directory is missing.",
              "Make the directory, or correct the path.",
              e);
      default ->
          "write".equals(action)
              ? new PortException(
                  Kind.NO_SPACE,
                  "Could not write " + where + " whole (" + e.getMessage() + ").",
                  "Look whether its disk or quota is full; the file that was there is untouched.",
                  e)
              : new PortException(
                  Kind.UNEXPECTED,
                  "Could not " + action + " " + where + ": " + e.getMessage() + ".",
                  "Look at the server's log.",
                  e);
    };
  }

  static PortException lost(Login login, IOException e) {
    return new PortException(
        Kind.UNREACHABLE,
        "The connection to " + login.server().name() + " was lost: " + e.getMessage() + ".",
        "It is tried again by itself.",
        e);
  }

  private static PortException unknown(Login login, IOException e) {
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

  /** The extension hardlink@openssh.com, which the client library does not bring. */
  private static final class HardLink extends AbstractSftpClientExtension {
    HardLink(SftpClient sftp) {
      super("hardlink@openssh.com", sftp, (RawSftpClient) sftp, Map.<String, byte[]>of());
    }

    void link(String path, String second) throws IOException {
      Buffer command = getCommandBuffer(path.length() * 3 + second.length() * 3 + 8);
      command.putString(path);
      command.putString(second);
      sendAndCheckExtendedCommandStatus(command);
    }
  }

  /** Whether two contents are the same. */
  static boolean same(Optional<byte[]> one, Optional<byte[]> other) {
    return one.isPresent() == other.isPresent()
        && (one.isEmpty() || Arrays.equals(one.get(), other.get()));
  }
}
