package tolvin.connectors.sheet;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.attribute.PosixFilePermissions;
import java.time.Clock;
import java.time.Duration;
import java.util.List;
import java.util.Map;
import org.junit.jupiter.api.AfterAll;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.TestInstance;
import org.junit.jupiter.api.io.TempDir;
import tolvin.connectors.shared.Egress;
import tolvin.core.estate.Access;
import tolvin.core.estate.Purpose;
import tolvin.core.key.OneLine;
import tolvin.core.key.PublicKey;
import tolvin.core.key.RefusedException;
import tolvin.core.port.AccountPort;
import tolvin.core.port.AccountPort.Entry;
import tolvin.core.port.Connection;
import tolvin.core.port.Place;
import tolvin.core.port.contract.AccountContract;
import tolvin.standins.codehost.CodeHost;
import tolvin.standins.http.Weather.Fault;
import tolvin.standins.local.Ports;

/** The contract for the code host, in one of its shapes, by one of its sheets. */
@TestInstance(TestInstance.Lifecycle.PER_CLASS)
abstract class CodeHostContract extends AccountContract {
  private final CodeHost.Shape shape;
  private final String sheet;
  private final AccountPort port =
      new SheetAccounts(
          new Steps(Clock.systemUTC(), Egress.ANYWHERE).within(Duration.ofSeconds(3)));
  private CodeHost host;
  private int round;

  CodeHostContract(CodeHost.Shape shape, String sheet) {
    this.shape = shape;
    this.sheet = sheet;
  }

  @BeforeAll
  void start(@TempDir Path directory) throws IOException {
    Files.setPosixFilePermissions(directory, PosixFilePermissions.fromString("rwxr-xr-x"));
    host = CodeHost.start(directory, 0, Ports.free(), shape, "s3cret-of-the-code-host");
  }

  @BeforeEach
  void freshAccount() {
    round++;
    host.person("isla" + round);
  }

  @AfterEach
  void fairWeather() {
    host.weather().any();
  }

  @AfterAll
  void stop() {
    host.close();
  }

  @Override
  protected AccountPort port() {
    return port;
  }

  @Override
  protected Place account() {
    Connection connection =
        Sheets.connection(
            Sheets.read(sheet), host.url(), Map.of(), "key-keeper", "s3cret-of-the-code-host");
    return Sheets.account(connection, "person", "isla" + round);
  }

  @Override
  protected Entry entry(PublicKey key, String title) {
    return Sheets.entry(key, title, Purpose.SIGN_IN, Access.WRITE);
  }

  @Override
  protected void addOutside(PublicKey key, String title) throws Exception {
    host.outside("person:isla" + round, title, key.line());
  }

  @Override
  protected List<PublicKey> reallyThere() throws RefusedException {
    List<PublicKey> keys = new java.util.ArrayList<>();
    for (String line : host.lines("person:isla" + round)) {
      keys.add(OneLine.read(line).orRefuse().key());
    }
    return keys;
  }

  @Override
  protected boolean changeOutside(PublicKey key) {
    host.retitle(key.line(), "renamed by hand");
    return true;
  }

  @Override
  protected int holds() {
    return 5;
  }

  @Override
  protected boolean loseNextAnswer() {
    host.weather().writes(Fault.CUT_AFTER);
    return true;
  }

  @Override
  protected boolean pretendNext() {
    host.weather().writes(Fault.PRETEND);
    return true;
  }
}
