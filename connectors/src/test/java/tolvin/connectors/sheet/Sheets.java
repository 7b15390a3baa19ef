package tolvin.connectors.sheet;

import java.io.IOException;
import java.io.UncheckedIOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import tolvin.core.estate.Access;
import tolvin.core.estate.Purpose;
import tolvin.core.key.PublicKey;
import tolvin.core.port.AccountPort.Entry;
import tolvin.core.port.Connection;
import tolvin.core.port.Place.OnSystem;
import tolvin.core.sheet.EntryLine;
import tolvin.core.sheet.SheetText;
import tolvin.core.sheet.SystemSheet;
import tolvin.standins.codehost.CodeHost;

/** The sheets that ship with Tolvin, ready for use against the stand-ins. */
public final class Sheets {
  private Sheets() {}

  static SystemSheet read(String name) {
    return changed(name, "", "");
  }

  /** A sheet in which one piece of text stands for another. */
  static SystemSheet changed(String name, String piece, String other) {
    try {
      String text = Files.readString(Path.of(System.getProperty("tolvin.root"), "sheets", name));
      SheetText.Parsed parsed = SheetText.read(piece.isEmpty() ? text : text.replace(piece, other));
      return parsed.sheet().orElseThrow(() -> new AssertionError(parsed.flaws().toString()));
    } catch (IOException e) {
      throw new UncheckedIOException(e);
    }
  }

  static Connection connection(
      SystemSheet sheet, String address, Map<String, String> settings, String user, String secret) {
    return new Connection(
        sheet.system().toLowerCase().replace(' ', '-'), sheet, address, settings, user, secret);
  }

  /** The simulated code host, by the sheet of its first shape. */
  public static Connection codeHost(CodeHost host, String secret) {
    return connection(
        read("pierhead.yaml"),
        host.url(),
        Map.of("git-door", "127.0.0.1:" + host.ssh().port()),
        "key-keeper",
        secret);
  }

  public static OnSystem account(Connection connection, String kind, String login) {
    return new OnSystem(connection, kind, login, "");
  }

  public static Entry entry(PublicKey key, String title, Purpose purpose, Access access) {
    return new Entry(
        EntryLine.of(key, title, purpose, access),
        key,
        title,
        purpose,
        access,
        List.of(),
        Optional.empty(),
        Optional.empty());
  }
}
