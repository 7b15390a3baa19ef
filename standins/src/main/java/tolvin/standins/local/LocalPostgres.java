package tolvin.standins.local;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.attribute.PosixFilePermissions;
import java.security.SecureRandom;
import java.time.Duration;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.HexFormat;
import java.util.List;
import java.util.Map;
import java.util.concurrent.TimeUnit;
import java.util.stream.Stream;

/** Debian's PostgreSQL 15 on loopback, in a data directory of its own. */
public final class LocalPostgres implements AutoCloseable {
  private static final Path BIN = Path.of("/usr/lib/postgresql/15/bin");
  private static final String DATABASE = "tolvin";
  private static final String OWNER = "tolvin_owner";
  private static final String SERVICE = "tolvin_service";

  private final Path directory;
  private final int port;
  private final boolean keep;

  private LocalPostgres(Path directory, int port, boolean keep) {
    this.directory = directory;
    this.port = port;
    this.keep = keep;
  }

  /**
   * Starts a server on a directory, which is set up first if it is empty.
   *
   * @param directory the directory, made if it is missing
   * @param port the TCP port on 127.0.0.1
   * @throws IOException if it does not start, with the last lines of its log
   */
  public static LocalPostgres start(Path directory, int port) throws IOException {
    return start(directory, port, true);
  }

  /** Starts a server that forgets everything when it stops, without waiting for the disk. */
  public static LocalPostgres forTests() {
    try {
      Path directory = Files.createTempDirectory("tolvin-postgres");
      Files.setPosixFilePermissions(directory, PosixFilePermissions.fromString("rwxr-xr-x"));
      return start(directory.resolve("db"), Ports.free(), false);
    } catch (IOException e) {
      throw new java.io.UncheckedIOException(e);
    }
  }

  private static LocalPostgres start(Path directory, int port, boolean keep) throws IOException {
    Unprivileged.checkReachable(directory);
    Files.createDirectories(directory);
    LocalPostgres server = new LocalPostgres(directory, port, keep);
    if (!Files.exists(directory.resolve("data/PG_VERSION"))) {
      server.initialise();
    }
    if (!server.isRunning()) {
      server.start();
    }
    server.createDatabase();
    return server;
  }

  /**
   * Creates the database and its two users, unless they are there; a start that was killed may have
   * left none.
   */
  private void createDatabase() throws IOException {
    Path made = directory.resolve("users-made");
    if (Files.exists(made)) {
      return;
    }
    Result result = exec("createdb", asUser(DATABASE));
    if (result.exitCode() != 0 && !result.output().contains("already exists")) {
      throw new IOException("PostgreSQL: could not create the database.\n" + result.output());
    }
    createUsers();
    Files.createFile(made);
  }

  private void createUsers() throws IOException {
    StringBuilder statements = new StringBuilder();
    for (String name : List.of(OWNER, SERVICE)) {
      if (!Files.exists(passwordFile(name))) {
        writePassword(passwordFile(name));
      }
      statements.append(
          """
          select 'create role %1$s login' where not exists
            (select from pg_roles where rolname = '%1$s') \\gexec
          alter role %1$s password '%2$s';
          """
              .formatted(name, password(name)));
    }
    // what an installation of before has made belongs to the superuser
    statements.append(
        """
        alter database %1$s owner to %2$s;
        select format('alter table %%s owner to %2$s', c.oid::regclass) from pg_class c
          where relnamespace = 'public'::regnamespace and relkind = 'r' \\gexec
        select format('alter sequence %%s owner to %2$s', c.oid::regclass) from pg_class c
          where relnamespace = 'public'::regnamespace and relkind = 'S'
            and pg_get_userbyid(relowner) <> '%2$s' \\gexec
        select format('alter function %%s owner to %2$s', p.oid::regprocedure) from pg_proc p
          where pronamespace = 'public'::regnamespace and not exists
            (select from pg_depend d where d.objid = p.oid and d.deptype = 'e') \\gexec
        """
            .formatted(DATABASE, OWNER));
    Path file = directory.resolve("users.sql"); // not a command line, which everybody may read
    writeSecret(file, statements.toString());
    try {
      executed("-q", "-f", file.toString());
    } finally {
      Files.delete(file);
    }
  }

  private Path passwordFile(String name) {
    return directory.resolve("password-" + name);
  }

  private static void writePassword(Path file) throws IOException {
    byte[] random = new byte[18];
    new SecureRandom().nextBytes(random);
    writeSecret(file, HexFormat.of().formatHex(random));
  }

  private static void writeSecret(Path file, String text) throws IOException {
    Files.deleteIfExists(file);
    Files.createFile(
        file, PosixFilePermissions.asFileAttribute(PosixFilePermissions.fromString("rw-------")));
    Files.writeString(file, text);
    Unprivileged.own(file);
  }

  /** Starts the server again that was stopped. */
  public void start() throws IOException {
    List<String> options = new ArrayList<>();
    options.add("-p " + port);
    options.add("-c listen_addresses=127.0.0.1");
    options.add("-c unix_socket_directories=" + directory.resolve("socket"));
    if (!keep) {
      options.add("-c fsync=off -c full_page_writes=off -c synchronous_commit=off");
    }
    run(
        "start",
        "pg_ctl",
        "-D",
        data(),
        "-w",
        "-l",
        directory.resolve("postgres.log").toString(),
        "-o",
        String.join(" ", options),
        "start");
  }

  /** Sets a server up beside its place, so that one that is killed meanwhile leaves none there. */
  private void initialise() throws IOException {
    Path begun = directory.resolve("data-begun");
    if (Files.exists(begun)) {
      delete(begun);
    }
    Path password = directory.resolve("password");
    writePassword(password);
    Files.createDirectories(directory.resolve("socket"));
    Unprivileged.own(directory);
    run(
        "set up",
        "initdb",
        "-D",
        begun.toString(),
        "-U",
        DATABASE,
        "-A",
        "scram-sha-256",
        "--auth-local=peer",
        "--pwfile=" + password,
        "-E",
        "UTF8",
        "--locale=C.UTF-8");
    // The socket's directory is open to its owner alone, so that user may sign in through it.
    Files.setPosixFilePermissions(
        directory.resolve("socket"), PosixFilePermissions.fromString("rwx------"));
    Path access = begun.resolve("pg_hba.conf");
    String rules =
        Files.readString(access).replaceAll("(?m)^local(\\s+\\S+\\s+\\S+\\s+)peer", "local$1trust");
    Files.writeString(access, rules);
    Files.move(begun, Path.of(data()));
  }

  private static void delete(Path directory) throws IOException {
    try (Stream<Path> all = Files.walk(directory)) {
      for (Path path : all.sorted(Comparator.reverseOrder()).toList()) {
        Files.deleteIfExists(path);
      }
    }
  }

  /** The JDBC URL. */
  public String jdbcUrl() {
    return "jdbc:postgresql://127.0.0.1:" + port + "/" + DATABASE;
  }

  /** The superuser. */
  public String user() {
    return DATABASE;
  }

  /** The superuser's password. */
  public String password() {
    return read(directory.resolve("password"));
  }

  /** The settings of a service on this database: its own user, and the one that owns the tables. */
  public Map<String, String> settings() {
    return Map.of(
        "quarkus.datasource.jdbc.url", jdbcUrl(),
        "quarkus.datasource.username", SERVICE,
        "quarkus.datasource.password", password(SERVICE),
        "quarkus.flyway.username", OWNER,
        "quarkus.flyway.password", password(OWNER));
  }

  private String password(String name) {
    return read(passwordFile(name));
  }

  private static String read(Path file) {
    try {
      return Files.readString(file).trim();
    } catch (IOException e) {
      throw new java.io.UncheckedIOException(e);
    }
  }

  /** Takes the whole database as SQL text, as a back-up would. */
  public String dump() throws IOException {
    List<String> command = new ArrayList<>(List.of(BIN.resolve("pg_dump").toString()));
    command.addAll(List.of(asUser(DATABASE)));
    Process process = new ProcessBuilder(Unprivileged.command(command)).start();
    return new String(process.getInputStream().readAllBytes());
  }

  /** What a statement that counts something gives. */
  public long count(String statement) throws IOException {
    return Long.parseLong(execute(statement).strip());
  }

  /** Carries a statement out; gives its rows as text. */
  public String execute(String statement) throws IOException {
    return executed("-Atc", statement);
  }

  private String executed(String... options) throws IOException {
    List<String> all = new ArrayList<>(List.of("-v", "ON_ERROR_STOP=1"));
    all.addAll(List.of(options));
    Result result = exec("psql", asUser(all.toArray(String[]::new)));
    if (result.exitCode() != 0) {
      throw new IOException(result.output());
    }
    return result.output();
  }

  /** The options of PostgreSQL's own tools that sign in, and what follows them. */
  private String[] asUser(String... more) {
    List<String> options =
        new ArrayList<>(
            List.of(
                "-h",
                directory.resolve("socket").toString(),
                "-p",
                String.valueOf(port),
                "-U",
                DATABASE));
    options.addAll(List.of(more));
    return options.toArray(String[]::new);
  }

  private boolean isRunning() throws IOException {
    return exec("pg_ctl", "-D", data(), "status").exitCode() == 0;
  }

  /** The process id of the postmaster. */
  public long pid() throws IOException {
    return Long.parseLong(Files.readAllLines(Path.of(data(), "postmaster.pid")).get(0).strip());
  }

  /** Waits until the server can be started that was killed: its last processes are gone. */
  public void restartAfterKill() throws IOException {
    IOException last = null;
    for (int i = 0; i < 40; i++) {
      try {
        start();
        return;
      } catch (IOException notYet) {
        last = notYet;
        java.util.concurrent.locks.LockSupport.parkNanos(500_000_000L);
      }
    }
    throw last;
  }

  /** Stops the server; its data stays. */
  public void stop() throws IOException {
    exec("pg_ctl", "-D", data(), "-w", "-m", "fast", "stop");
  }

  /** Stops the server, and forgets everything where it is one for tests. */
  @Override
  public void close() throws IOException {
    stop();
    if (!keep) {
      delete(directory.getParent());
    }
  }

  private String data() {
    return directory.resolve("data").toString();
  }

  private void run(String what, String tool, String... arguments) throws IOException {
    Result result = exec(tool, arguments);
    if (result.exitCode() != 0) {
      throw new IOException(
          "PostgreSQL: could not "
              + what
              + ".\n"
              + Tail.of(result.output(), 15)
              + Tail.of(directory.resolve("postgres.log"), 15));
    }
  }

  private record Result(int exitCode, String output) {}

  private Result exec(String tool, String... arguments) throws IOException {
    List<String> command = new ArrayList<>();
    command.add(BIN.resolve(tool).toString());
    command.addAll(List.of(arguments));
    Path output = Files.createTempFile("tolvin-postgres", ".out");
    try {
      Process process =
          new ProcessBuilder(Unprivileged.command(command))
              .directory(directory.toFile())
              .redirectErrorStream(true)
              .redirectOutput(output.toFile())
              .start();
      if (!process.waitFor(Duration.ofMinutes(2).toSeconds(), TimeUnit.SECONDS)) {
        process.destroyForcibly();
        throw new IOException("PostgreSQL: " + tool + " did not come to an end in two minutes");
      }
      return new Result(process.exitValue(), Files.readString(output));
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
      throw new IOException("interrupted", e);
    } finally {
      Files.deleteIfExists(output);
    }
  }
}
