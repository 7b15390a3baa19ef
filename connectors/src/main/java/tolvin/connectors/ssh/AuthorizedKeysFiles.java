package tolvin.connectors.ssh;

import java.io.IOException;
import java.util.List;
import java.util.Optional;
import tolvin.connectors.shared.KeyLines;
import tolvin.core.authorized.AuthorizedKeys;
import tolvin.core.estate.Registered;
import tolvin.core.port.AccountPort;
import tolvin.core.port.Lease;
import tolvin.core.port.Place;
import tolvin.core.port.Place.OverSsh;
import tolvin.core.port.PortException;

/** Accounts whose keys stand in a file on an SSH server, edited over SFTP. */
public final class AuthorizedKeysFiles implements AccountPort {
  private static final int FILE_MODE = 0600;

  private final SshConnections connections;

  /** Works over these connections. */
  public AuthorizedKeysFiles(SshConnections connections) {
    this.connections = connections;
  }

  @Override
  public List<Registered> read(Place where) throws PortException {
    OverSsh file = (OverSsh) where;
    return connections.use(
        file.login(), files -> KeyLines.registered(keys(files, file, files.read(file.path()))));
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
          AuthorizedKeys keys = keys(files, file, Optional.of(before));
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
          new WholeFile(files, file.path()).settle(attempt);
          return true;
        });
    return true;
  }

  /** A change of the file's content. */
  @FunctionalInterface
  private interface Edit {
    AuthorizedKeys of(AuthorizedKeys keys) throws PortException;
  }

  private static List<Registered> edit(RemoteFiles files, OverSsh where, Edit change, Lease lease)
      throws PortException, IOException {
    byte[] after =
        new WholeFile(files, where.path())
            .change(FILE_MODE, now -> change.of(keys(files, where, now)).toBytes(), lease);
    return KeyLines.registered(keys(files, where, Optional.of(after)));
  }

  /** What a file holds, by the rules of the server that it is on. */
  static AuthorizedKeys keys(RemoteFiles files, OverSsh where, Optional<byte[]> content) {
    return AuthorizedKeys.of(content.orElse(new byte[0]), files.ability(where.said()));
  }
}
