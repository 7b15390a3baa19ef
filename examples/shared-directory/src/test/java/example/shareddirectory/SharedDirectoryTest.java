package example.shareddirectory;

import static org.assertj.core.api.Assertions.assertThat;

import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardOpenOption;
import java.time.Clock;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.jar.JarOutputStream;
import java.util.zip.ZipEntry;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import tolvin.connectors.ConnectorJars;
import tolvin.connectors.Routing;
import tolvin.connectors.ssh.SshConnections;
import tolvin.core.estate.Access;
import tolvin.core.estate.Purpose;
import tolvin.core.key.OneLine;
import tolvin.core.key.PublicKey;
import tolvin.core.port.AccountPort;
import tolvin.core.port.AccountPort.Entry;
import tolvin.core.port.Connection;
import tolvin.core.port.DestinationFamily;
import tolvin.core.port.Place;
import tolvin.core.port.contract.AccountContract;
import tolvin.core.sheet.EntryLine;
import tolvin.core.sheet.SheetText;

/** The example passes the contract, and is found in its jar by what its sheet says. */
class SharedDirectoryTest extends AccountContract {
  @TempDir Path directory;

  @Override
  protected AccountPort port() {
    return new SharedDirectory().accounts();
  }

  @Override
  protected Place account() {
    try {
      return new Place.OnSystem(
          new Connection(
              "share",
              SheetText.read(Files.readString(Path.of("share.yaml"))).sheet().orElseThrow(),
              directory.toString(),
              Map.of(),
              "",
              ""),
          "file",
          "isla",
          "");
    } catch (java.io.IOException e) {
      throw new java.io.UncheckedIOException(e);
    }
  }

  @Override
  protected Entry entry(PublicKey key, String title) {
    return new Entry(
        EntryLine.of(key, title, Purpose.SIGN_IN, Access.WRITE),
        key,
        title,
        Purpose.SIGN_IN,
        Access.WRITE,
        List.of(),
        Optional.empty(),
        Optional.empty());
  }

  @Override
  protected void addOutside(PublicKey key, String title) throws Exception {
    Files.writeString(
        directory.resolve("isla.keys"),
        key.line(title) + "\n",
        StandardOpenOption.CREATE,
        StandardOpenOption.APPEND);
  }

  @Override
  protected List<PublicKey> reallyThere() throws Exception {
    List<PublicKey> keys = new ArrayList<>();
    Path file = directory.resolve("isla.keys");
    for (String line : Files.exists(file) ? Files.readAllLines(file) : List.<String>of()) {
      keys.add(OneLine.read(line).orRefuse().key());
    }
    return keys;
  }

  @Override
  protected int holds() {
    return 5;
  }

  @Test
  void aJarInTheDirectoryOfConnectorsIsFoundAndUsed() throws Exception {
    Path jars = Files.createDirectory(directory.resolve("connectors"));
    Path classes = Path.of("target/classes");
    try (JarOutputStream jar =
            new JarOutputStream(Files.newOutputStream(jars.resolve("shared-directory.jar")));
        var files = Files.walk(classes)) {
      for (Path file : files.filter(Files::isRegularFile).toList()) {
        jar.putNextEntry(new ZipEntry(classes.relativize(file).toString()));
        Files.copy(file, jar);
      }
    }
    Map<String, DestinationFamily> found = ConnectorJars.in(jars);
    assertThat(found).containsOnlyKeys("shared-directory");
    try (SshConnections connections = new SshConnections()) {
      AccountPort routed = new Routing(connections, Clock.systemUTC(), found).accounts();
      Entry entry = entry(key(), "by its jar");
      routed.place(account(), entry, tolvin.core.port.Lease.UNLIMITED);
      assertThat(reallyThere()).containsExactly(entry.key());
    }
  }
}
