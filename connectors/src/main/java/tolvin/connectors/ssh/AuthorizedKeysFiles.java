package tolvin.connectors.ssh;

import java.io.IOException;
import java.util.List;
import java.util.Optional;
import org.apache.sshd.sftp.client.SftpClient.Attributes;
import tolvin.connectors.shared.KeyLines;
import tolvin.core.authorized.AuthorizedKeys;
import tolvin.core.estate.Registered;
import tolvin.core.port.AccountPort;
import tolvin.core.port.Lease;
import tolvin.core.port.Place;
import tolvin.core.port.Place.OverSsh;
import tolvin.core.port.PortException;
import tolvin.core.port.PortException.Kind;

/**
 * Accounts whose keys stand in an {@code authorized_keys} file, edited over SFTP: read, merge,
 * write beside, look again, rename, read again. Owner, mode and every foreign byte stay.
 *
 * <p>Between the last look and the rename lies a window of one round trip in which somebody else's
 * edit would be lost; SFTP offers no lock that could close it.
 */
public final class AuthorizedKeysFiles implements AccountPort {
  private static final int MOST_MERGES = 5;
  private static final int FILE_MODE = 0600;

  private final SshConnections connections;

  /** Works over these connections. */
  public AuthorizedKeysFiles(SshConnections connections) {
    this.connections = connections;
  }

  @Override
  public List<Registered> read(Place where) throws PortException {
    OverSsh file = (OverSsh) where;
    return connections.use(file.login(), files -> KeyLines.registered(files.read(file.path())));
  }

  @Override
  public List<Registered> place(Place where, Entry entry, Lease lease) throws PortException {
    OverSsh file = (OverSsh) where;
    return connections.use(
        file.login(),
        files -> edit(files, file, keys -> KeyLines.added(keys, entry.line()), lease));
  }

  @Override
  public List<Registered> withdraw(Place where, Entry entry, Lease lease) throws PortException {
    OverSsh file = (OverSsh) where;
    return connections.use(
        file.login(), files -> edit(files, file, keys -> keys.without(entry.line()), lease));
  }

  @Override
  public List<Registered> replace(Place where, List<String> found, Entry entry, Lease lease)
      throws PortException {
    OverSsh file = (OverSsh) where;
    return connections.use(
        file.login(),
        files -> edit(files, file, keys -> KeyLines.replaced(keys, found, entry.line()), lease));
  }

  @Override
  public Change rehearse(Place where, Optional<Entry> add, Optional<Entry> remove)
      throws PortException {
    OverSsh file = (OverSsh) where;
    return connections.use(
        file.login(),
        files -> {
          byte[] before = files.read(file.path()).orElse(new byte[0]);
          AuthorizedKeys keys = AuthorizedKeys.of(before);
          keys = remove.isEmpty() ? keys : keys.without(remove.get().line());
          keys = add.isEmpty() ? keys : KeyLines.added(keys, add.get().line());
          return new Change(file.path(), KeyLines.text(before), KeyLines.text(keys.toBytes()));
        });
  }

  @Override
  public boolean settle(Place where, String attempt) throws PortException {
    OverSsh file = (OverSsh) where;
    connections.useNew(
        file.login(),
        files -> {
          files.removeForGood(file.path() + RemoteFiles.BESIDE + attempt);
          return true;
        });
    return true;
  }

  /** A change of the file's content. */
  @FunctionalInterface
  private interface Edit {
    AuthorizedKeys of(AuthorizedKeys keys) throws PortException;
  }

  private List<Registered> edit(RemoteFiles files, OverSsh where, Edit change, Lease lease)
      throws PortException, IOException {
    for (int merge = 0; merge < MOST_MERGES; merge++) {
      Optional<Attributes> attributes = checked(files, where);
      Optional<byte[]> before = attributes.isEmpty() ? Optional.empty() : files.read(where.path());
      byte[] old = before.orElse(new byte[0]);
      AuthorizedKeys changed = change.of(AuthorizedKeys.of(old));
      byte[] wanted = changed.toBytes();
      if (java.util.Arrays.equals(old, wanted)) {
        return KeyLines.registered(changed);
      }
      lease.check();
      String beside = where.path() + RemoteFiles.BESIDE + lease.attempt();
      if (attributes.isEmpty()) {
        makeDirectory(files, where);
      }
      try {
        files.writeNew(beside, wanted, attributes.map(RemoteFiles::mode).orElse(FILE_MODE));
        if (attributes.isPresent()) {
          files.keepOwner(beside, attributes.get());
        }
        if (!RemoteFiles.same(files.read(where.path()), before)) {
          files.remove(beside); // somebody wrote in between: merge into what is there now
          continue;
        }
        lease.check();
        files.replace(beside, where.path());
      } catch (PortException e) {
        if (e.kind() != Kind.UNKNOWN_OUTCOME) {
          files.removeQuietly(beside);
        }
        throw e;
      }
      Optional<byte[]> after = files.read(where.path());
      if (after.isEmpty() || !java.util.Arrays.equals(after.get(), wanted)) {
        throw new PortException(
            Kind.CHANGED_MEANWHILE,
            where.path() + " does not read back as it was written; somebody else writes there too.",
            "Find out who; it is looked at again before anything else is done.");
      }
      return KeyLines.registered(changed);
    }
    throw new PortException(
        Kind.CHANGED_MEANWHILE,
        where.path() + " was changed by somebody else each time that Tolvin was about to write it.",
        "Find out which program rewrites the file all the time.");
  }

  private static Optional<Attributes> checked(RemoteFiles files, OverSsh where)
      throws PortException, IOException {
    Optional<Attributes> attributes = files.look(where.path());
    if (attributes.isPresent() && attributes.get().isSymbolicLink()) {
      throw new PortException(
          Kind.NOT_ALLOWED,
          where.path() + " is a symbolic link, which a rename would replace.",
          "Name the file that it leads to as the account's path.");
    }
    if (attributes.isPresent() && !attributes.get().isRegularFile()) {
      throw new PortException(
          Kind.NOT_ALLOWED, where.path() + " is not a file.", "Correct the account's path.");
    }
    return attributes;
  }

  private static void makeDirectory(RemoteFiles files, OverSsh where)
      throws PortException, IOException {
    int slash = where.path().lastIndexOf('/');
    String directory = slash <= 0 ? "." : where.path().substring(0, slash);
    if (files.look(directory).isEmpty()) {
      files.makeDirectory(directory);
    }
  }
}
