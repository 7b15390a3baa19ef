package tolvin.connectors.ssh;

import java.io.IOException;
import java.util.Arrays;
import java.util.Optional;
import org.apache.sshd.sftp.client.SftpClient.Attributes;
import tolvin.core.port.Lease;
import tolvin.core.port.PortException;
import tolvin.core.port.PortException.Kind;

/**
 * A file on a server that is only ever changed whole: read, changed, written beside under the
 * attempt's own name, looked at again, renamed over what is there, read back. Owner, mode and what
 * others wrote stay. Every change of a remote file goes through here.
 *
 * <p>Between the last look and the rename lies a window of one round trip in which somebody else's
 * edit would be lost; SFTP offers no lock that could close it.
 */
final class WholeFile {
  private static final int MOST_MERGES = 5;
  private static final byte[] NOTHING = {};

  private final RemoteFiles files;
  private final String path;

  WholeFile(RemoteFiles files, String path) {
    this.files = files;
    this.path = path;
  }

  /** A change of a file's content. */
  @FunctionalInterface
  interface Edit {
    /**
     * The content as it is to be.
     *
     * @param now the content as it is; empty if there is no file
     * @throws PortException if it must not be changed
     */
    byte[] of(Optional<byte[]> now) throws PortException;
  }

  /**
   * What is there.
   *
   * @return empty if nothing is
   * @throws PortException if it is something that a rename must not replace, or lies where somebody
   *     else could lead Tolvin elsewhere
   */
  Optional<Attributes> look() throws PortException, IOException {
    files.demandSafe(path);
    Optional<Attributes> there = files.look(path);
    if (there.filter(Attributes::isSymbolicLink).isPresent()) {
      throw new PortException(
          Kind.NOT_ALLOWED,
          path + " is a symbolic link, which a rename would replace.",
          "Name the file that it leads to as the path.");
    }
    if (there.filter(a -> !a.isRegularFile()).isPresent()) {
      throw new PortException(
          Kind.NOT_ALLOWED, path + " is not a file.", "Correct the path on record.");
    }
    return there;
  }

  /**
   * Changes it; a change that somebody else makes meanwhile is taken in. A missing directory is
   * made, for its owner alone; a file that is to be empty and is missing stays so.
   *
   * @param modeOfNew its mode where there is none yet
   * @return the content afterwards, read back
   * @throws PortException if it was not changed; {@link Kind#UNKNOWN_OUTCOME} if nobody knows
   */
  byte[] change(int modeOfNew, Edit edit, Lease lease) throws PortException, IOException {
    for (int merge = 0; merge < MOST_MERGES; merge++) {
      Optional<Attributes> former = look();
      Optional<byte[]> before = former.isEmpty() ? Optional.empty() : files.read(path);
      byte[] wanted = edit.of(before);
      if (Arrays.equals(before.orElse(NOTHING), wanted)) {
        return wanted;
      }
      lease.check();
      if (former.isEmpty()) {
        makeDirectory();
      }
      int mode = former.map(RemoteFiles::mode).orElse(modeOfNew);
      String beside = prepare(wanted, mode, former, lease);
      if (!RemoteFiles.same(files.read(path), before)) {
        files.remove(beside); // somebody wrote in between: merge into what is there now
        continue;
      }
      exchange(beside, lease);
      if (!RemoteFiles.same(files.read(path), Optional.of(wanted))) {
        throw new PortException(
            Kind.CHANGED_MEANWHILE,
            path + " does not read back as it was written; somebody else writes there too.",
            "Find out who; it is looked at again before anything else is done.");
      }
      return wanted;
    }
    throw new PortException(
        Kind.CHANGED_MEANWHILE,
        path + " was changed by somebody else each time that Tolvin was about to write it.",
        "Find out which program rewrites the file all the time.");
  }

  private void makeDirectory() throws PortException, IOException {
    int slash = path.lastIndexOf('/');
    String directory = slash <= 0 ? "." : path.substring(0, slash);
    if (files.look(directory).isEmpty()) {
      files.makeDirectory(directory);
    }
  }

  /**
   * Writes beside it what is to replace it.
   *
   * @param as whose owner it gets; empty for Tolvin's own login
   * @return the path of what was written
   * @throws PortException if it was not written; nothing is left then
   */
  String prepare(byte[] content, int mode, Optional<Attributes> as, Lease lease)
      throws PortException, IOException {
    String beside = beside(lease);
    try {
      files.writeNew(beside, content, mode, as);
    } catch (PortException e) {
      files.removeQuietly(beside);
      throw e;
    }
    return beside;
  }

  /** The name beside it that is the attempt's own. */
  String beside(Lease lease) {
    return path + RemoteFiles.BESIDE + lease.attempt();
  }

  /** What is done right before a rename. */
  @FunctionalInterface
  interface Step {
    /** Does it. */
    void run() throws PortException, IOException;
  }

  /**
   * Renames what lies ready over what is there, if the lease still holds.
   *
   * @throws PortException if it did not; {@link Kind#UNKNOWN_OUTCOME} if nobody knows
   */
  void exchange(String ready, Lease lease) throws PortException, IOException {
    exchange(ready, () -> {}, lease);
  }

  /** Likewise, with something done right before, when the lease was found to hold. */
  void exchange(String ready, Step before, Lease lease) throws PortException, IOException {
    try {
      lease.check();
      before.run();
      files.replace(ready, path);
    } catch (PortException e) {
      if (e.kind() != Kind.UNKNOWN_OUTCOME) {
        files.removeQuietly(ready);
      }
      throw e;
    }
  }

  /**
   * Makes impossible what an attempt may still do, by removing what only it renames.
   *
   * @param attempt its {@link Lease#attempt}
   */
  void settle(String attempt) throws PortException, IOException {
    files.demandSafe(path);
    files.removeForGood(path + RemoteFiles.BESIDE + attempt);
  }
}
