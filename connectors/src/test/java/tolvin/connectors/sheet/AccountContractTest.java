package tolvin.connectors.sheet;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardOpenOption;
import java.nio.file.attribute.PosixFilePermissions;
import java.sql.SQLException;
import java.time.Clock;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.Base64;
import java.util.List;
import java.util.Map;
import java.util.stream.Stream;
import org.junit.jupiter.api.AfterAll;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Nested;
import org.junit.jupiter.api.TestInstance;
import org.junit.jupiter.api.io.TempDir;
import tolvin.connectors.shared.Egress;
import tolvin.connectors.ssh.AuthorizedKeysFiles;
import tolvin.connectors.ssh.SshConnections;
import tolvin.core.estate.Access;
import tolvin.core.estate.Purpose;
import tolvin.core.form.DerKeys;
import tolvin.core.key.OneLine;
import tolvin.core.key.PublicKey;
import tolvin.core.key.RefusedException;
import tolvin.core.pair.KeyPairMaker;
import tolvin.core.pair.SecretPair;
import tolvin.core.port.AccountPort;
import tolvin.core.port.AccountPort.Entry;
import tolvin.core.port.Login;
import tolvin.core.port.Place;
import tolvin.core.port.Server;
import tolvin.core.port.contract.AccountContract;
import tolvin.core.server.SaidOfServer;
import tolvin.standins.codehost.CodeHost;
import tolvin.standins.local.LocalDropbear;
import tolvin.standins.local.LocalKeysServer;
import tolvin.standins.local.LocalPostgres;
import tolvin.standins.local.LocalProftpd;
import tolvin.standins.local.LocalSshServer;
import tolvin.standins.local.Ports;
import tolvin.standins.local.Unprivileged;
import tolvin.standins.warehouse.Warehouse;

/** Every connector that ships passes the contract, and so does every shape by its sheet alone. */
class AccountContractTest {
  private static final String SECRET = "a-long-made-up-secret";

  @Nested
  class CodeHostPlain extends CodeHostContract {
    CodeHostPlain() {
      super(CodeHost.Shape.PLAIN, "pierhead.yaml");
    }
  }

  @Nested
  class CodeHostNested extends CodeHostContract {
    CodeHostNested() {
      super(CodeHost.Shape.NESTED, "pierhead-nested.yaml");
    }
  }

  /** The contract for the warehouse in one of its shapes. */
  @TestInstance(TestInstance.Lifecycle.PER_CLASS)
  abstract static class WarehouseContract extends AccountContract {
    private final Warehouse.Shape shape;
    private final String sheet;
    private final String kind;
    private final AccountPort port =
        new SheetAccounts(new Steps(Clock.systemUTC(), Egress.ANYWHERE));
    LocalPostgres postgres;
    Warehouse warehouse;
    int round;

    WarehouseContract(Warehouse.Shape shape, String sheet, String kind) {
      this.shape = shape;
      this.sheet = sheet;
      this.kind = kind;
    }

    @BeforeAll
    void start() throws IOException {
      postgres = LocalPostgres.forTests();
      warehouse = Warehouse.start(postgres, 0, shape, SECRET, Clock.systemUTC());
    }

    @BeforeEach
    void freshAccount() throws IOException {
      round++;
      warehouse.account(name(), "key");
    }

    @AfterAll
    void stop() throws IOException {
      warehouse.close();
      postgres.close();
    }

    /** A name that has to be quoted. */
    String name() {
      return "loader \"' " + round;
    }

    @Override
    protected AccountPort port() {
      return port;
    }

    @Override
    protected Place account() {
      return Sheets.account(
          Sheets.connection(
              Sheets.read(sheet), warehouse.jdbcUrl(), Map.of(), Warehouse.KEEPER, SECRET),
          kind,
          name());
    }

    @Override
    protected Entry entry(PublicKey key, String title) {
      return Sheets.entry(key, "", Purpose.SIGN_IN, Access.WRITE);
    }

    @Override
    protected int holds() {
      return 2;
    }

    static String written(PublicKey key) throws RefusedException {
      return Base64.getEncoder().encodeToString(DerKeys.writeSpki(key));
    }

    static List<PublicKey> read(List<Map<String, Object>> rows) throws RefusedException {
      List<PublicKey> keys = new ArrayList<>();
      for (Map<String, Object> row : rows) {
        for (Object text : row.values()) {
          if (text != null) {
            keys.add(DerKeys.readSpki(Base64.getDecoder().decode(text.toString())));
          }
        }
      }
      return keys;
    }
  }

  @Nested
  class WarehouseTable extends WarehouseContract {
    WarehouseTable() {
      super(Warehouse.Shape.TABLE, "lazarette.yaml", "login");
    }

    @Override
    protected void addOutside(PublicKey key, String title) throws Exception {
      String slot = reallyThere().isEmpty() ? "key_1" : "key_2";
      warehouse.change(
          "update warehouse.login set " + slot + " = ? where name = ?", written(key), name());
    }

    @Override
    protected List<PublicKey> reallyThere() throws SQLException, RefusedException {
      return read(
          warehouse.rows("select key_1, key_2 from warehouse.login where name = ?", name()));
    }
  }

  @Nested
  class WarehouseRoles extends WarehouseContract {
    WarehouseRoles() {
      super(Warehouse.Shape.ROLES, "lazarette-roles.yaml", "role");
    }

    @Override
    protected void addOutside(PublicKey key, String title) throws Exception {
      String slot = reallyThere().isEmpty() ? "1" : "2";
      warehouse.change(
          "alter role \""
              + name().replace("\"", "\"\"")
              + "\" set lake.verification_key_"
              + slot
              + " = '"
              + written(key)
              + "'");
    }

    @Override
    protected List<PublicKey> reallyThere() throws SQLException, RefusedException {
      return read(
          warehouse.rows(
              "select substr(c, position('=' in c) + 1) from pg_roles r join pg_db_role_setting s"
                  + " on s.setrole = r.oid, unnest(s.setconfig) c where rolname = ?",
              name()));
    }
  }

  @Nested
  class OpenSsh extends KeysServerContract {
    @Override
    LocalKeysServer in(Path directory) throws IOException {
      return LocalSshServer.at(directory, Ports.free());
    }
  }

  /** Somebody else's keys stand in a second file of the account's. */
  @Nested
  class OpenSshWithSeveralFiles extends OpenSsh {
    @Override
    Path foreign(Path first) {
      return first.resolveSibling("more");
    }
  }

  @Nested
  class ProftpdWithSeveralFiles extends Proftpd {
    @Override
    Path foreign(Path first) {
      return first.resolveSibling("more");
    }
  }

  @Nested
  class Dropbear extends KeysServerContract {
    @Override
    LocalKeysServer in(Path directory) throws IOException {
      return LocalDropbear.at(directory, Ports.free());
    }
  }

  @Nested
  class Proftpd extends KeysServerContract {
    @Override
    LocalKeysServer in(Path directory) throws IOException {
      return LocalProftpd.at(directory, Ports.free());
    }
  }

  /** The contract for servers whose accounts keep their keys in files. */
  @TestInstance(TestInstance.Lifecycle.PER_CLASS)
  abstract static class KeysServerContract extends AccountContract {
    private final SshConnections connections =
        new SshConnections(SshConnections.LIMIT.multipliedBy(Ports.PATIENCE));
    private final AccountPort port = new AuthorizedKeysFiles(connections);
    private SecretPair keeper;
    private LocalKeysServer server;
    private int round;

    abstract LocalKeysServer in(Path directory) throws IOException;

    /** The file that somebody else's keys of an account stand in. */
    Path foreign(Path first) {
      return first;
    }

    private Path first() {
      return server.authorizedKeys("isla" + round);
    }

    private List<Path> files() {
      return Stream.of(first(), foreign(first())).distinct().filter(Files::exists).toList();
    }

    @BeforeAll
    void start(@TempDir Path directory) throws IOException {
      Files.setPosixFilePermissions(directory, PosixFilePermissions.fromString("rwxr-xr-x"));
      keeper = KeyPairMaker.ed25519(new java.security.SecureRandom());
      server = in(directory.resolve("ssh")).account("keeper").start();
      server.authorize("keeper", keeper.key().line());
    }

    @BeforeEach
    void freshAccount() throws IOException {
      round++;
      server.account("isla" + round);
    }

    @AfterAll
    void stop() {
      connections.close();
      server.close();
    }

    @Override
    protected boolean replacesInOneStep() {
      return true;
    }

    @Override
    protected AccountPort port() {
      return port;
    }

    @Override
    protected Place account() {
      Server at = new Server("sftp", "127.0.0.1", server.port(), List.of(server.hostKey()));
      return new Place.OverSsh(
          new Login(at, "keeper", keeper),
          first().toString(),
          foreign(first()).equals(first()) ? List.of() : List.of(foreign(first()).toString()),
          SaidOfServer.NOTHING);
    }

    @Override
    protected Entry entry(PublicKey key, String title) {
      return Sheets.entry(key, title, Purpose.SIGN_IN, Access.WRITE);
    }

    @Override
    protected void addOutside(PublicKey key, String title) throws Exception {
      byte[] before = Files.readAllBytes(first());
      server.authorize("isla" + round, key.line(title));
      if (!foreign(first()).equals(first())) {
        byte[] after = Files.readAllBytes(first());
        Files.write(
            foreign(first()),
            Arrays.copyOfRange(after, before.length, after.length),
            StandardOpenOption.CREATE,
            StandardOpenOption.APPEND);
        Files.write(first(), before);
        Unprivileged.own(first().getParent());
      }
    }

    /** Its mark, which stands in lines and in blocks. */
    @Override
    protected String shown(Entry entry) {
      return entry.line().substring(entry.line().lastIndexOf(' ') + 1);
    }

    /** As ssh-keygen reads them, which takes one block at a time. */
    @Override
    protected List<PublicKey> reallyThere() throws Exception {
      List<PublicKey> keys = new ArrayList<>();
      for (Path file : files()) {
        String all = Files.readString(file);
        String between = all.startsWith("----") ? "(?<=END SSH2 PUBLIC KEY ----)\n" : "\n";
        for (String text : all.split(between)) {
          keys.addAll(readOutside(text));
        }
      }
      return keys;
    }

    private static List<PublicKey> readOutside(String text) throws Exception {
      if (text.isBlank()) {
        return List.of();
      }
      Path file = Files.createTempFile("one", ".pub");
      Files.writeString(file, text + "\n");
      String line =
          text.startsWith("----")
              ? LocalSshServer.said(List.of("ssh-keygen", "-i", "-m", "RFC4716", "-f", file + ""))
              : text;
      Files.delete(file);
      return List.of(OneLine.read(line.strip()).orRefuse().key());
    }

    /** Whatever this server lets somebody change of an entry while it stays one. */
    @Override
    protected boolean changeOutside(PublicKey key) throws Exception {
      Path file = first();
      String all = Files.readString(file);
      String changed =
          all.startsWith("----")
              ? all.replaceAll("Comment: \"[^\"]*\"", "Comment: \"changed\"")
              : "no-pty " + all;
      Files.writeString(file, changed);
      return true;
    }

    @Override
    protected int holds() {
      return Integer.MAX_VALUE;
    }
  }
}
