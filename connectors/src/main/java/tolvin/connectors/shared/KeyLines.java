package tolvin.connectors.shared;

import java.nio.charset.StandardCharsets;
import java.util.List;
import java.util.Optional;
import java.util.Set;
import tolvin.core.authorized.Admission;
import tolvin.core.authorized.AuthorizedKeys;
import tolvin.core.estate.Registered;
import tolvin.core.key.Fingerprint;
import tolvin.core.port.PortException;
import tolvin.core.port.PortException.Kind;

/** Lines with keys, wherever they stand: in a server's file or in a repository's. */
public final class KeyLines {
  private KeyLines() {}

  /**
   * With one more line; a line that is there already is not added twice, nor a key that stands in
   * somebody's line.
   *
   * @throws PortException if the key stands there in a line of somebody else's, or if the server
   *     would ignore the line
   */
  public static AuthorizedKeys added(AuthorizedKeys keys, String line) throws PortException {
    AuthorizedKeys after = keys;
    if (!keys.has(line)) {
      refuseForeign(keys, key(line));
      after = keys.with(line);
    }
    Optional<String> why = after.whyNot(line);
    if (after != keys && after.lines().size() != keys.lines().size() + 1) {
      why = Optional.of("the end of the file is not the end of an entry, and would run into it");
    }
    if (why.isPresent()) {
      throw new PortException(
          Kind.NOT_ALLOWED,
          "The server would ignore the entry: " + why.get() + ".",
          "Leave out what it does not know; if it is a server of another kind than Tolvin takes it"
              + " for, say so: tolvin destination change NAME --setting server=KIND");
    }
    return after;
  }

  /**
   * With one line in the place of others; where the wanted one is there already, its first copy
   * stays where it is.
   *
   * @param found the lines that go, exactly
   * @throws PortException if the key stands there in yet another line
   */
  public static AuthorizedKeys replaced(AuthorizedKeys keys, List<String> found, String line)
      throws PortException {
    AuthorizedKeys others = keys;
    for (String one : found) {
      if (!one.equals(line)) {
        others = others.without(one);
      }
    }
    refuseForeign(others.without(line), key(line));
    return added(others.once(line), line);
  }

  /**
   * Makes sure that a key does not stand in somebody else's line; one that the server ignores, or
   * may ignore, is in nobody's way.
   *
   * @throws PortException if it does
   */
  public static void refuseForeign(AuthorizedKeys keys, Fingerprint key) throws PortException {
    Set<Admission.Kind> counts = Set.of(Admission.Kind.LETS_IN, Admission.Kind.AUTHORITY);
    if (keys.linesOf(key).stream().anyMatch(line -> counts.contains(line.admission().kind()))) {
      throw new PortException(
          Kind.NOT_ALLOWED,
          key + " stands there already, in a line that Tolvin did not write.",
          "Have that line taken out, or leave the key to its owner.");
    }
  }

  /** The key of an entry that Tolvin wrote. */
  public static Fingerprint key(String line) {
    return AuthorizedKeys.of(line.getBytes(StandardCharsets.ISO_8859_1))
        .lines()
        .get(0)
        .key()
        .orElseThrow(() -> new IllegalArgumentException("the line holds no key"))
        .fingerprint();
  }

  /** What the lines of a file register. */
  public static List<Registered> registered(AuthorizedKeys file) {
    return file.lines().stream()
        .filter(line -> line.key().isPresent())
        .map(Registered::of)
        .toList();
  }

  /** Bytes as text, one character each, so that they can be compared and shown exactly. */
  public static String text(byte[] content) {
    return new String(content, StandardCharsets.ISO_8859_1);
  }
}
