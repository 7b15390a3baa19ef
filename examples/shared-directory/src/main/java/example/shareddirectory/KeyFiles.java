package example.shareddirectory;

import java.io.IOException;
import java.nio.channels.FileChannel;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.NoSuchFileException;
import java.nio.file.Path;
import java.nio.file.StandardCopyOption;
import java.nio.file.StandardOpenOption;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import tolvin.core.authorized.AuthorizedKeys;
import tolvin.core.estate.Registered;
import tolvin.core.port.AccountPort;
import tolvin.core.port.Lease;
import tolvin.core.port.Place;
import tolvin.core.port.Place.OnSystem;
import tolvin.core.port.PortException;
import tolvin.core.port.PortException.Kind;

/**
 * Files of keys below a directory, the destination's address: {@code DIRECTORY/ACCOUNT.keys}. A
 * file is written beside and renamed, so that whoever reads it sees a whole one; a lock beside it
 * keeps two writers apart.
 */
final class KeyFiles implements AccountPort {
  private static final int MOST = 5;

  @Override
  public List<Registered> read(Place where) throws PortException {
    return registered(lines(file((OnSystem) where)));
  }

  @Override
  public List<Registered> place(Place where, Entry entry, Lease lease) throws PortException {
    OnSystem account = (OnSystem) where;
    return locked(
        account,
        file -> {
          List<String> lines = lines(file);
          if (lines.contains(entry.line())) {
            return lines;
          }
          boolean foreign =
              registered(lines).stream().anyMatch(r -> r.key().equals(entry.key().fingerprint()));
          if (foreign) {
            throw new PortException(
                Kind.NOT_ALLOWED,
                entry.key().fingerprint() + " stands on " + account.name() + " in somebody's line.",
                "Have that line taken out, or leave the key to whoever wrote it.");
          }
          if (lines.size() >= MOST) {
            throw new PortException(
                Kind.NO_SPACE, account.name() + " is full.", "Withdraw a key there first.");
          }
          lines.add(entry.line());
          return write(file, lines, lease);
        });
  }

  @Override
  public List<Registered> withdraw(Place where, Entry entry, Lease lease) throws PortException {
    return locked(
        (OnSystem) where,
        file -> {
          List<String> lines = lines(file);
          return lines.remove(entry.line()) ? write(file, lines, lease) : lines;
        });
  }

  @Override
  public Change rehearse(Place where, Optional<Entry> add, Optional<Entry> remove)
      throws PortException {
    Path file = file((OnSystem) where);
    List<String> before = lines(file);
    List<String> after = new ArrayList<>(before);
    remove.ifPresent(entry -> after.remove(entry.line()));
    add.ifPresent(entry -> after.add(entry.line()));
    return new Change(file.toString(), String.join("\n", before), String.join("\n", after));
  }

  private interface Action {
    List<String> on(Path file) throws PortException, IOException;
  }

  /** Does something while nobody else does, and reads back. */
  private static List<Registered> locked(OnSystem account, Action action) throws PortException {
    Path file = file(account);
    synchronized (KeyFiles.class) { // a lock on a file is the whole process's
      try (FileChannel lock =
          FileChannel.open(
              file.resolveSibling(file.getFileName() + ".lock"),
              StandardOpenOption.CREATE,
              StandardOpenOption.WRITE)) {
        lock.lock();
        List<String> wanted = action.on(file);
        List<String> there = lines(file);
        if (!there.equals(wanted)) {
          throw new PortException(
              Kind.CHANGED_MEANWHILE,
              file + " does not read back as it was written.",
              "It is looked at again before anything else is done.");
        }
        return registered(there);
      } catch (IOException e) {
        throw unreachable(file, e);
      }
    }
  }

  private static List<String> write(Path file, List<String> lines, Lease lease)
      throws PortException, IOException {
    lease.check();
    Path beside = file.resolveSibling(file.getFileName() + ".new");
    Files.write(beside, lines);
    Files.move(beside, file, StandardCopyOption.ATOMIC_MOVE, StandardCopyOption.REPLACE_EXISTING);
    return lines;
  }

  private static List<String> lines(Path file) throws PortException {
    try {
      return new ArrayList<>(Files.readAllLines(file, StandardCharsets.ISO_8859_1));
    } catch (NoSuchFileException nobodyYet) {
      return new ArrayList<>();
    } catch (IOException e) {
      throw unreachable(file, e);
    }
  }

  private static List<Registered> registered(List<String> lines) {
    byte[] content = String.join("\n", lines).getBytes(StandardCharsets.ISO_8859_1);
    return AuthorizedKeys.of(content).lines().stream()
        .filter(line -> line.key().isPresent())
        .map(line -> new Registered(line.key().get().fingerprint(), line.text()))
        .toList();
  }

  /** An account's name is no path. */
  private static Path file(OnSystem account) throws PortException {
    if (!account.login().matches("[A-Za-z0-9_-]{1,64}")) {
      throw new PortException(
          Kind.NOT_ALLOWED, account.name() + " is no name of a file.", "Use letters and digits.");
    }
    return Path.of(account.connection().address(), account.login() + ".keys");
  }

  private static PortException unreachable(Path file, IOException e) {
    return new PortException(
        Kind.UNREACHABLE,
        file + " cannot be used: " + e.getMessage() + ".",
        "Look whether the share is mounted; it is tried again by itself.");
  }
}
