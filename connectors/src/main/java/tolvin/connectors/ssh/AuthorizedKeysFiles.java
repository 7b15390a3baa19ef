package tolvin.connectors.ssh;

import java.io.IOException;
import java.util.ArrayList;
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

/**
 * Accounts whose keys stand in files on an SSH server, edited over SFTP. Where a server looks in
 * several, all of them are the account's: keys are placed in the first, and found and taken out
 * wherever they stand.
 */
public final class AuthorizedKeysFiles implements AccountPort {
  private static final int FILE_MODE = 0600;

  private final SshConnections connections;

  /** Works over these connections. */
  public AuthorizedKeysFiles(SshConnections connections) {
    this.connections = connections;
  }

  @Override
  public List<Registered> read(Place where) throws PortException {
    OverSsh at = (OverSsh) where;
    return connections.use(
        at.login(),
        files -> FurtherFiles.read(files, at).with(keys(files, at, files.read(at.path()))));
  }

  @Override
  public List<Registered> place(Place where, Entry entry, Lease lease) throws PortException {
    OverSsh at = (OverSsh) where;
    return connections.use(
        at.login(),
        files -> {
          FurtherFiles further = FurtherFiles.read(files, at);
          boolean stands = further.demandNoForeign(entry.line());
          Edit edit = keys -> stands ? keys : KeyLines.added(keys, entry.line());
          return further.with(edit(files, at, at.path(), edit, lease));
        });
  }

  @Override
  public List<Registered> withdraw(Place where, Entry entry, Lease lease) throws PortException {
    OverSsh at = (OverSsh) where;
    return connections.use(
        at.login(),
        files -> {
          FurtherFiles further = FurtherFiles.read(files, at).without(List.of(entry.line()), lease);
          return further.with(
              edit(files, at, at.path(), keys -> keys.without(entry.line()), lease));
        });
  }

  @Override
  public List<Registered> replace(Place where, List<String> found, Entry entry, Lease lease)
      throws PortException {
    OverSsh at = (OverSsh) where;
    List<String> going = new ArrayList<>(found);
    going.add(entry.line()); // it stands in the first file then
    return connections.use(
        at.login(),
        files -> {
          FurtherFiles further = FurtherFiles.read(files, at);
          further.less(going).demandNoForeign(entry.line());
          Edit edit = keys -> KeyLines.replaced(keys, found, entry.line());
          AuthorizedKeys first = edit(files, at, at.path(), edit, lease);
          return further.without(going, lease).with(first);
        });
  }

  @Override
  public Change rehearse(Place where, Optional<Entry> add, Optional<Entry> remove)
      throws PortException {
    OverSsh at = (OverSsh) where;
    return connections.use(
        at.login(),
        files -> {
          AuthorizedKeys before = keys(files, at, files.read(at.path()));
          FurtherFiles further = FurtherFiles.read(files, at);
          List<String> going = remove.map(Entry::line).stream().toList();
          AuthorizedKeys after = less(before, going);
          if (add.isPresent() && !further.demandNoForeign(add.get().line())) {
            after = KeyLines.added(after, add.get().line());
          }
          return further.rehearse(
              new Change(
                  at.path(), KeyLines.text(before.toBytes()), KeyLines.text(after.toBytes())),
              going);
        });
  }

  @Override
  public boolean settle(Place where, String attempt) throws PortException {
    OverSsh at = (OverSsh) where;
    connections.useNew(
        at.login(),
        files -> {
          for (String path : at.all()) {
            new WholeFile(files, path).settle(attempt);
          }
          return true;
        });
    return true;
  }

  /** A change of a file's content. */
  @FunctionalInterface
  interface Edit {
    AuthorizedKeys of(AuthorizedKeys keys) throws PortException;
  }

  static AuthorizedKeys edit(RemoteFiles files, OverSsh at, String path, Edit change, Lease lease)
      throws PortException, IOException {
    byte[] after =
        new WholeFile(files, path)
            .change(FILE_MODE, now -> change.of(keys(files, at, now)).toBytes(), lease);
    return keys(files, at, Optional.of(after));
  }

  /** What a file holds, by the rules of the server that it is on. */
  static AuthorizedKeys keys(RemoteFiles files, OverSsh at, Optional<byte[]> content) {
    return AuthorizedKeys.of(content.orElse(new byte[0]), files.ability(at.said()));
  }

  /** What stays of a file without some of its entries. */
  static AuthorizedKeys less(AuthorizedKeys keys, List<String> going) {
    AuthorizedKeys staying = keys;
    for (String line : going) {
      staying = staying.without(line);
    }
    return staying;
  }
}
