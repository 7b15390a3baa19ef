package tolvin.connectors.ssh;

import java.io.IOException;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import tolvin.connectors.shared.KeyLines;
import tolvin.core.authorized.AuthorizedKeys;
import tolvin.core.estate.Registered;
import tolvin.core.port.AccountPort.Change;
import tolvin.core.port.Lease;
import tolvin.core.port.Place.OverSsh;
import tolvin.core.port.PortException;

/**
 * The files in which a server looks for an account's keys besides the one that Tolvin places them
 * in (sshd_config(5), AuthorizedKeysFile, takes several). Entries are only ever taken out of them.
 */
final class FurtherFiles {
  private final RemoteFiles files;
  private final OverSsh at;
  private final Map<String, AuthorizedKeys> there;

  private FurtherFiles(RemoteFiles files, OverSsh at, Map<String, AuthorizedKeys> there) {
    this.files = files;
    this.at = at;
    this.there = there;
  }

  /** As they are now; one that is not there holds nothing. */
  static FurtherFiles read(RemoteFiles files, OverSsh at) throws PortException, IOException {
    Map<String, AuthorizedKeys> there = new LinkedHashMap<>();
    for (String path : at.further()) {
      there.put(path, AuthorizedKeysFiles.keys(files, at, files.read(path)));
    }
    return new FurtherFiles(files, at, there);
  }

  /** What is registered in the first file and in these. */
  List<Registered> with(AuthorizedKeys first) {
    List<Registered> all = new ArrayList<>(KeyLines.registered(first));
    there.values().forEach(keys -> all.addAll(KeyLines.registered(keys)));
    return all;
  }

  /**
   * Looks for an entry, and makes sure that its key does not stand in one of somebody else's.
   *
   * @return whether the entry stands in one of them
   * @throws PortException if the key stands in another entry
   */
  boolean demandNoForeign(String line) throws PortException {
    boolean stands = there.values().stream().anyMatch(keys -> keys.has(line));
    if (!stands) {
      for (AuthorizedKeys keys : there.values()) {
        KeyLines.refuseForeign(keys, KeyLines.key(line));
      }
    }
    return stands;
  }

  /** What they would be without some entries; nothing is written. */
  FurtherFiles less(List<String> going) {
    Map<String, AuthorizedKeys> staying = new LinkedHashMap<>();
    there.forEach((path, keys) -> staying.put(path, AuthorizedKeysFiles.less(keys, going)));
    return new FurtherFiles(files, at, staying);
  }

  /**
   * Takes entries out of each that holds one.
   *
   * @return what they are then, read back
   */
  FurtherFiles without(List<String> going, Lease lease) throws PortException, IOException {
    Map<String, AuthorizedKeys> after = new LinkedHashMap<>(there);
    for (Map.Entry<String, AuthorizedKeys> file : there.entrySet()) {
      if (going.stream().anyMatch(file.getValue()::has)) {
        after.put(
            file.getKey(),
            AuthorizedKeysFiles.edit(
                files, at, file.getKey(), keys -> AuthorizedKeysFiles.less(keys, going), lease));
      }
    }
    return new FurtherFiles(files, at, after);
  }

  /**
   * A change of the first file, and what it means for those of these that it concerns.
   *
   * @param going the entries that are to be taken out
   */
  Change rehearse(Change first, List<String> going) {
    Change all = first;
    for (Map.Entry<String, AuthorizedKeys> file : there.entrySet()) {
      if (going.stream().anyMatch(file.getValue()::has)) {
        all =
            new Change(
                all.where() + " and " + file.getKey(),
                whole(all.before()) + text(file.getValue()),
                whole(all.after()) + text(AuthorizedKeysFiles.less(file.getValue(), going)));
      }
    }
    return all;
  }

  private static String whole(String text) {
    return text.isEmpty() || text.endsWith("\n") ? text : text + "\n";
  }

  private static String text(AuthorizedKeys keys) {
    return KeyLines.text(keys.toBytes());
  }
}
