package tolvin.connectors.directory;

import com.unboundid.ldap.sdk.Attribute;
import com.unboundid.ldap.sdk.Filter;
import com.unboundid.ldap.sdk.LDAPConnection;
import com.unboundid.ldap.sdk.LDAPException;
import com.unboundid.ldap.sdk.LDAPSearchException;
import com.unboundid.ldap.sdk.Modification;
import com.unboundid.ldap.sdk.ModificationType;
import com.unboundid.ldap.sdk.ModifyRequest;
import com.unboundid.ldap.sdk.ResultCode;
import com.unboundid.ldap.sdk.SearchRequest;
import com.unboundid.ldap.sdk.SearchResult;
import com.unboundid.ldap.sdk.SearchResultEntry;
import com.unboundid.ldap.sdk.SearchScope;
import com.unboundid.ldap.sdk.controls.AssertionRequestControl;
import java.nio.charset.StandardCharsets;
import java.time.Instant;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import java.util.stream.Collectors;
import tolvin.connectors.shared.Egress;
import tolvin.connectors.shared.KeyLines;
import tolvin.core.authorized.AuthorizedKeys;
import tolvin.core.diagnosis.Circumstances.KeysFile;
import tolvin.core.estate.Registered;
import tolvin.core.port.AccountPort;
import tolvin.core.port.Lease;
import tolvin.core.port.Place;
import tolvin.core.port.PortException;
import tolvin.core.port.PortException.Kind;
import tolvin.core.sweep.IgnoredLines;
import tolvin.core.sweep.Seen;

/**
 * Accounts whose keys are values of an attribute on people's entries (LDAP, RFC 4511). A value is
 * compared byte for byte, also one with a line end behind it; each change is one modify request,
 * which the assertion control (RFC 4528) binds to the entry as it was read, by its {@code entryCSN}
 * where the server keeps one and by the very values where it does not.
 */
public final class DirectoryAccounts implements AccountPort, AutoCloseable {
  private static final int MOST_MERGES = 8;
  private static final String VERSION = "entryCSN";
  private static final String CLASS = "objectClass";

  private final DirectoryConnections connections;

  /**
   * Nothing yet.
   *
   * @param egress where directories may be
   */
  public DirectoryAccounts(Egress egress) {
    this.connections = new DirectoryConnections(egress);
  }

  /** A person's entry as it was read. */
  private record Found(String name, List<byte[]> values, Optional<String> version, boolean ready) {
    /** The values as lines, without the line end that some bring. */
    List<Registered> registered() {
      List<Registered> all = new ArrayList<>();
      for (byte[] value : values) {
        KeyLines.registered(AuthorizedKeys.of(value)).stream()
            .map(
                r ->
                    new Registered(
                        r.key(), KeyLines.text(value), r.expires(), r.kind(), r.details()))
            .forEach(all::add);
      }
      return all;
    }

    boolean has(String line) {
      return values.stream().anyMatch(value -> KeyLines.text(value).equals(line));
    }

    AuthorizedKeys keys() {
      return AuthorizedKeys.of(
          values.stream()
              .map(KeyLines::text)
              .map(String::stripTrailing)
              .collect(Collectors.joining("\n"))
              .getBytes(StandardCharsets.ISO_8859_1));
    }
  }

  @Override
  public List<Registered> read(Place where) throws PortException {
    InDirectory at = (InDirectory) where;
    return connections.use(at.directory(), connection -> find(connection, at)).registered();
  }

  /**
   * All that can be seen of an account; a value that holds no key is told by its number.
   *
   * @throws PortException if it could not be read
   */
  public Seen survey(InDirectory at, Instant now) throws PortException {
    Found found = connections.use(at.directory(), connection -> find(connection, at));
    List<Seen.IgnoredLine> ignored = new ArrayList<>();
    for (int i = 0; i < found.values().size(); i++) {
      int number = i + 1;
      IgnoredLines.of(AuthorizedKeys.of(found.values().get(i))).stream()
          .map(line -> new Seen.IgnoredLine("", number, line.text(), line.why(), line.mayLetIn()))
          .forEach(ignored::add);
    }
    return Seen.entries(now, found.registered(), ignored);
  }

  /**
   * An account's values as lines, the way a server gets them that takes its keys from here.
   *
   * @throws PortException if they could not be read
   */
  KeysFile keysFile(InDirectory at) throws PortException {
    Found found = connections.use(at.directory(), connection -> find(connection, at));
    return KeysFile.lines("the entry " + found.name(), found.keys().toBytes());
  }

  @Override
  public List<Registered> place(Place where, Entry entry, Lease lease) throws PortException {
    return change(
        (InDirectory) where,
        lease,
        found -> {
          if (found.has(entry.line())) {
            return List.of();
          }
          KeyLines.refuseForeign(found.keys(), entry.key().fingerprint());
          return List.of(modification(ModificationType.ADD, (InDirectory) where, entry.line()));
        });
  }

  @Override
  public List<Registered> withdraw(Place where, Entry entry, Lease lease) throws PortException {
    return change(
        (InDirectory) where,
        lease,
        found ->
            found.has(entry.line())
                ? List.of(modification(ModificationType.DELETE, (InDirectory) where, entry.line()))
                : List.of());
  }

  @Override
  public List<Registered> replace(Place where, List<String> there, Entry entry, Lease lease)
      throws PortException {
    InDirectory at = (InDirectory) where;
    return change(
        at,
        lease,
        found -> {
          AuthorizedKeys others = found.keys().without(entry.line());
          for (String line : there) {
            others = others.without(line.stripTrailing());
          }
          KeyLines.refuseForeign(others, entry.key().fingerprint());
          List<Modification> changes = new ArrayList<>();
          if (!found.has(entry.line())) {
            changes.add(modification(ModificationType.ADD, at, entry.line()));
          }
          there.stream()
              .distinct()
              .filter(line -> !line.equals(entry.line()) && found.has(line))
              .forEach(line -> changes.add(modification(ModificationType.DELETE, at, line)));
          return changes;
        });
  }

  private static Modification modification(ModificationType type, InDirectory at, String line) {
    return new Modification(
        type, at.directory().attribute(), line.getBytes(StandardCharsets.ISO_8859_1));
  }

  @Override
  public Change rehearse(Place where, Optional<Entry> add, Optional<Entry> remove)
      throws PortException {
    InDirectory at = (InDirectory) where;
    Found found = connections.use(at.directory(), connection -> find(connection, at));
    List<String> before = found.values().stream().map(KeyLines::text).toList();
    List<String> after = new ArrayList<>(before);
    remove.ifPresent(entry -> after.remove(entry.line()));
    add.filter(entry -> !after.contains(entry.line())).ifPresent(entry -> after.add(entry.line()));
    return new Change(found.name(), shown(at, before), shown(at, after));
  }

  private static String shown(InDirectory at, List<String> values) {
    return values.stream()
        .map(value -> at.directory().attribute() + ": " + value + "\n")
        .collect(Collectors.joining());
  }

  /** What is to be changed of an entry; nothing if it is as wanted already. */
  @FunctionalInterface
  private interface Edit {
    List<Modification> of(Found found) throws PortException;
  }

  private List<Registered> change(InDirectory at, Lease lease, Edit edit) throws PortException {
    for (int merge = 0; merge < MOST_MERGES; merge++) {
      Found found = connections.use(at.directory(), connection -> find(connection, at));
      List<Modification> changes = edit.of(found);
      if (changes.isEmpty()) {
        return found.registered();
      }
      lease.check();
      if (connections.change(
          at.directory(), connection -> modified(connection, at, found, changes))) {
        Found after = connections.use(at.directory(), connection -> find(connection, at));
        if (!edit.of(after).isEmpty()) {
          throw new PortException(
              Kind.CHANGED_MEANWHILE,
              found.name() + " does not read back as it was changed.",
              "Somebody else writes there too, or a copy of the directory lags behind; it is looked"
                  + " at again.");
        }
        return after.registered();
      }
    }
    throw new PortException(
        Kind.CHANGED_MEANWHILE,
        "The entry of " + at.login() + " was changed each time that Tolvin was about to change it.",
        "Find out which program changes it all the time.");
  }

  /** False if the entry is no longer as it was found. */
  private static boolean modified(
      LDAPConnection connection, InDirectory at, Found found, List<Modification> changes)
      throws LDAPException, PortException {
    List<Modification> all = new ArrayList<>(changes);
    if (!found.ready()) {
      all.add(new Modification(ModificationType.ADD, CLASS, at.directory().objectClass()));
    }
    ModifyRequest request = new ModifyRequest(found.name(), all);
    request.addControl(new AssertionRequestControl(unchanged(at, found), true));
    try {
      connection.modify(request);
      return true;
    } catch (LDAPException e) {
      ResultCode code = e.getResultCode();
      if (code.equals(ResultCode.ASSERTION_FAILED)
          || code.equals(ResultCode.ATTRIBUTE_OR_VALUE_EXISTS)
          || code.equals(ResultCode.NO_SUCH_ATTRIBUTE)) {
        return false;
      }
      throw e;
    }
  }

  private static Filter unchanged(InDirectory at, Found found) {
    if (found.version().isPresent()) {
      return Filter.createEqualityFilter(VERSION, found.version().get());
    }
    List<Filter> same = new ArrayList<>();
    for (byte[] value : found.values()) {
      same.add(Filter.createEqualityFilter(at.directory().attribute(), value));
    }
    same.add(Filter.createPresenceFilter(CLASS));
    return Filter.createANDFilter(same);
  }

  private static Found find(LDAPConnection connection, InDirectory at)
      throws LDAPException, PortException {
    DirectoryServer directory = at.directory();
    SearchRequest search =
        new SearchRequest(
            directory.base(),
            SearchScope.SUB,
            Filter.create(directory.filter().replace("{login}", Filter.encodeValue(at.login()))),
            directory.attribute(),
            VERSION,
            CLASS);
    search.setSizeLimit(2);
    SearchResult result;
    try {
      result = connection.search(search);
    } catch (LDAPSearchException e) {
      if (e.getResultCode().equals(ResultCode.SIZE_LIMIT_EXCEEDED)) {
        throw notOne(at, Kind.NOT_ALLOWED, " has several entries");
      }
      throw e;
    }
    if (result.getEntryCount() != 1) {
      throw result.getEntryCount() == 0
          ? notOne(at, Kind.NO_ACCOUNT, " has no entry")
          : notOne(at, Kind.NOT_ALLOWED, " has several entries");
    }
    SearchResultEntry entry = result.getSearchEntries().get(0);
    byte[][] values =
        Optional.ofNullable(entry.getAttribute(directory.attribute()))
            .map(Attribute::getValueByteArrays)
            .orElse(new byte[0][]);
    return new Found(
        entry.getDN(),
        List.of(values),
        Optional.ofNullable(entry.getAttributeValue(VERSION)),
        directory.objectClass().isEmpty()
            || entry.hasAttributeValue(CLASS, directory.objectClass()));
  }

  private static PortException notOne(InDirectory at, Kind kind, String instead) {
    return new PortException(
        kind,
        at.directory().name()
            + instead
            + " for "
            + at.login()
            + " below "
            + at.directory().base()
            + ".",
        "Look at the login, and at the filter " + at.directory().filter() + ".");
  }

  /**
   * Looks whether a directory can be worked with.
   *
   * @throws PortException if it cannot be reached, or does not let Tolvin in
   */
  void look(DirectoryServer directory) throws PortException {
    connections.use(
        directory,
        connection -> {
          connection.getEntry(directory.base(), CLASS);
          return true;
        });
  }

  @Override
  public void close() {
    connections.close();
  }
}
