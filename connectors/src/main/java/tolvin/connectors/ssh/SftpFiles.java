package tolvin.connectors.ssh;

import java.io.ByteArrayOutputStream;
import java.io.IOException;
import java.io.UncheckedIOException;
import java.util.ArrayList;
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

/**
 * Files on a server over SFTP (draft-ietf-secsh-filexfer-02 with the extensions of OpenSSH's
 * PROTOCOL, section 4.3: posix-rename, fsync, hardlink).
 */
final class SftpFiles extends RemoteFiles {
  private static final int CHUNK = 32 * 1024;

  private final SftpClient sftp;

  SftpFiles(SftpClient sftp, Login login, Traffic traffic) {
    super(login, traffic, sftp.getClientSession().getServerVersion());
    this.sftp = sftp;
  }

  /** Whether a server can do over SFTP all that a change needs: replace a file in one step. */
  static boolean isWhole(SftpClient sftp) {
    OpenSSHPosixRenameExtension rename = sftp.getExtension(OpenSSHPosixRenameExtension.class);
    return rename != null && rename.isSupported();
  }

  @Override
  Optional<Attributes> look(String path) throws PortException, IOException {
    try {
      return Optional.of(sftp.lstat(path));
    } catch (SftpException e) {
      if (e.getStatus() == SftpConstants.SSH_FX_NO_SUCH_FILE) {
        return Optional.empty();
      }
      throw failed("look at", path, e);
    } catch (IOException e) {
      throw new LostBeforeEffect(lost(login(), e));
    }
  }

  @Override
  Map<String, Optional<Attributes>> look(Collection<String> paths)
      throws PortException, IOException {
    Map<String, Optional<Attributes>> there = new HashMap<>();
    if (Glance.isPossible(sftp)) {
      try {
        there.putAll(Glance.at(sftp, paths));
      } catch (IOException e) {
        throw new LostBeforeEffect(lost(login(), e));
      }
    }
    for (String path : paths) {
      if (!there.containsKey(path)) {
        there.put(path, look(path)); // what the server would not say at once it says by itself
      }
    }
    return there;
  }

  @Override
  Optional<byte[]> read(String path, long from, int atMost) throws PortException, IOException {
    traffic().read();
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
      return Optional.of(content.toByteArray());
    } catch (SftpException e) {
      if (e.getStatus() == SftpConstants.SSH_FX_NO_SUCH_FILE) {
        return Optional.empty();
      }
      throw failed("read", path, e);
    } catch (IOException e) {
      throw new LostBeforeEffect(lost(login(), e));
    }
  }

  @Override
  void writeNew(String path, byte[] content, int mode, Optional<Attributes> as)
      throws PortException, IOException {
    remove(path);
    traffic().wrote();
    try (SftpClient.CloseableHandle handle =
        sftp.open(path, EnumSet.of(OpenMode.Write, OpenMode.Create, OpenMode.Exclusive))) {
      sftp.setStat(handle, new Attributes().perms(mode));
      if (as.isPresent()) {
        own(handle, as.get());
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
        throw onlyPart(path, size, content.length);
      }
    } catch (SftpException e) {
      throw failed("write", path, e);
    }
  }

  private void own(SftpClient.CloseableHandle handle, Attributes as)
      throws PortException, IOException {
    Attributes now = sftp.stat(handle);
    if (now.getUserId() == as.getUserId() && now.getGroupId() == as.getGroupId()) {
      return;
    }
    try {
      sftp.setStat(handle, new Attributes().owner(as.getUserId(), as.getGroupId()));
    } catch (SftpException e) {
      throw ofAnother(as, now.getUserId(), e);
    }
  }

  @Override
  void replace(String from, String to) throws PortException, IOException {
    traffic().wrote();
    if (!isWhole(sftp)) {
      throw new PortException(
          Kind.NOT_ALLOWED,
          login().server().name() + " cannot replace a file in one step over SFTP.",
          "Let " + login() + " run commands: files are replaced by them then.");
    }
    try {
      sftp.getExtension(OpenSSHPosixRenameExtension.class).posixRename(from, to);
    } catch (SftpException e) {
      throw failed("replace", to, e);
    } catch (IOException e) {
      throw unknown(e);
    }
  }

  @Override
  void keepAs(String path, String second) throws PortException, IOException {
    traffic().wrote();
    try {
      new HardLink(sftp).link(path, second);
    } catch (SftpException e) {
      throw failed("keep", path, e);
    }
  }

  @Override
  void remove(String path) throws PortException, IOException {
    try {
      sftp.remove(path);
      traffic().wrote();
    } catch (SftpException e) {
      if (e.getStatus() != SftpConstants.SSH_FX_NO_SUCH_FILE) {
        throw failed("remove", path, e);
      }
    }
  }

  @Override
  void makeDirectory(String path) throws PortException, IOException {
    try {
      sftp.mkdir(path);
      sftp.setStat(path, new Attributes().perms(0700));
      traffic().wrote();
    } catch (SftpException e) {
      throw failed("make the directory", path, e);
    }
  }

  @Override
  String begin() throws PortException, IOException {
    return real(".");
  }

  @Override
  String real(String path) throws PortException, IOException {
    try {
      return sftp.canonicalPath(path);
    } catch (SftpException e) {
      throw failed("look at", path, e);
    }
  }

  @Override
  Optional<Glance> glance(String file, List<String> paths) throws LostBeforeEffect {
    if (!Glance.isPossible(sftp)) {
      return Optional.empty();
    }
    traffic().read();
    try {
      return Optional.of(Glance.of(sftp, file, paths));
    } catch (IOException e) {
      throw new LostBeforeEffect(lost(login(), e));
    }
  }

  @Override
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

  private PortException failed(String action, String path, SftpException e) {
    return switch (e.getStatus()) {
      case SftpConstants.SSH_FX_PERMISSION_DENIED -> forbidden(action, path, e);
      case SftpConstants.SSH_FX_NO_SUCH_FILE -> nowhere(action, path, e);
      default ->
          "write".equals(action)
              ? cutShort(path, e.getMessage(), e)
              : failed(action, path, e.getMessage(), e);
    };
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
}
