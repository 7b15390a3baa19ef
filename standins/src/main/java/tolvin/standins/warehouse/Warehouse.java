package tolvin.standins.warehouse;

import java.io.IOException;
import java.sql.Connection;
import java.sql.DriverManager;
import java.sql.PreparedStatement;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.sql.Statement;
import java.time.Clock;
import java.util.ArrayList;
import java.util.Base64;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import tolvin.core.form.DerKeys;
import tolvin.core.key.PublicKey;
import tolvin.core.key.RefusedException;
import tolvin.standins.local.LocalPostgres;

/**
 * Lazarette, a made-up data warehouse: accounts with exactly two named key slots, administered by
 * SQL on a real PostgreSQL in one of two dialects, and signed in to by a signed assertion.
 */
public final class Warehouse implements AutoCloseable {
  /** The user that may change keys. */
  public static final String KEEPER = "key_keeper";

  private static final String DATABASE = "lake";
  private static final List<String> SLOTS = List.of("1", "2");

  /** The shapes that its administration can have. */
  public enum Shape {
    /** A table with two columns for keys. */
    TABLE,
    /** Roles with two settings, changed by statements that can bind nothing. */
    ROLES
  }

  private final Shape shape;
  private final String superUrl;
  private final String superUser;
  private final String superPassword;
  private final TokenDoor door;

  private Warehouse(LocalPostgres postgres, int port, Shape shape, String secret, Clock clock)
      throws IOException {
    this.shape = shape;
    this.superUser = postgres.user();
    this.superPassword = postgres.password();
    String url = postgres.jdbcUrl();
    this.superUrl = url.substring(0, url.lastIndexOf('/') + 1) + DATABASE;
    setUp(url, secret);
    boolean table = shape == Shape.TABLE;
    this.door =
        TokenDoor.open(
            port,
            table ? "/token" : "/oauth/exchange",
            table ? TokenDoor.Naming.ACCOUNT : TokenDoor.Naming.ACCOUNT_AND_KEY,
            clock,
            new TokenDoor.Accounts() {
              @Override
              public Optional<TokenDoor.Account> find(String name) {
                return account(name);
              }

              @Override
              public void used(String name, PublicKey key) {
                markUsed(name, key);
              }
            });
    door.queries((account, statement) -> query(statement));
  }

  /**
   * Starts one on a PostgreSQL server.
   *
   * @param port the port of its sign-in; 0 for a free one
   * @param secret the password of {@link #KEEPER}
   */
  public static Warehouse start(
      LocalPostgres postgres, int port, Shape shape, String secret, Clock clock)
      throws IOException {
    return new Warehouse(postgres, port, shape, secret, clock);
  }

  /** Where keys are administered. */
  public String jdbcUrl() {
    return superUrl;
  }

  /** Where accounts sign in. */
  public TokenDoor door() {
    return door;
  }

  private void setUp(String base, String secret) throws IOException {
    try (Connection any = DriverManager.getConnection(base, superUser, superPassword);
        Statement sql = any.createStatement()) {
      if (!exists(sql, "select 1 from pg_database where datname = '" + DATABASE + "'")) {
        sql.execute("create database " + DATABASE);
      }
      if (!exists(sql, "select 1 from pg_roles where rolname = '" + KEEPER + "'")) {
        sql.execute("create role " + KEEPER + " login createrole");
      }
      sql.execute("alter role " + KEEPER + " password '" + secret.replace("'", "''") + "'");
    } catch (SQLException e) {
      throw new IOException("the warehouse was not set up", e);
    }
    String[] statements = {
      "create schema if not exists warehouse",
      """
      create table if not exists warehouse.login (
        name text primary key, enabled boolean not null default true,
        mode text not null default 'key' check (mode in ('password', 'key', 'either', 'both')),
        password text,
        key_1 text check (key_1 ~ '^[A-Za-z0-9+/]{40,}=*$'), key_1_added timestamptz,
        key_1_used timestamptz,
        key_2 text check (key_2 ~ '^[A-Za-z0-9+/]{40,}=*$'), key_2_added timestamptz,
        key_2_used timestamptz)""",
      """
      create or replace function warehouse.stamp() returns trigger language plpgsql as $$
      begin
        if new.key_1 is distinct from old.key_1 then
          new.key_1_added := case when new.key_1 is null then null else now() end;
          new.key_1_used := null;
        end if;
        if new.key_2 is distinct from old.key_2 then
          new.key_2_added := case when new.key_2 is null then null else now() end;
          new.key_2_used := null;
        end if;
        return new;
      end $$""",
      "create or replace trigger stamp before update on warehouse.login"
          + " for each row execute function warehouse.stamp()",
      "create table if not exists warehouse.sign_in (role text, slot text, at timestamptz,"
          + " primary key (role, slot))",
      "create table if not exists warehouse.departure (quay text, boat text, departs time)",
      "grant usage on schema warehouse to " + KEEPER,
      "grant select, update (key_1, key_2) on warehouse.login to " + KEEPER,
      "grant select on warehouse.sign_in to " + KEEPER,
      "grant set on parameter \"lake.verification_key_1\" to " + KEEPER,
      "grant set on parameter \"lake.verification_key_2\" to " + KEEPER,
    };
    try (Connection lake = connect();
        Statement sql = lake.createStatement()) {
      for (String statement : statements) {
        sql.execute(statement);
      }
      if (!exists(sql, "select 1 from warehouse.departure")) {
        sql.execute(
            "insert into warehouse.departure values ('North Quay', 'Sandpiper', '06:40'),"
                + " ('North Quay', 'Turnstone', '09:15'), ('Holm Slip', 'Dunlin', '07:05')");
      }
    } catch (SQLException e) {
      throw new IOException("the warehouse was not set up", e);
    }
  }

  private static boolean exists(Statement sql, String query) throws SQLException {
    try (ResultSet rows = sql.executeQuery(query)) {
      return rows.next();
    }
  }

  private Connection connect() throws SQLException {
    return DriverManager.getConnection(superUrl, superUser, superPassword);
  }

  /** Adds an account, if it is not there yet. */
  public Warehouse account(String name, String mode) throws IOException {
    try {
      if (shape == Shape.TABLE) {
        change(
            "insert into warehouse.login (name, mode) values (?, ?) on conflict do nothing",
            name,
            mode);
      } else if (rows("select 1 from pg_roles where rolname = ?", name).isEmpty()) {
        change("create role \"" + name.replace("\"", "\"\"") + "\" nologin");
      }
    } catch (SQLException e) {
      throw new IOException(e);
    }
    return this;
  }

  /** Runs a statement as the warehouse's own administrator would. */
  public void change(String statement, String... values) throws SQLException {
    try (Connection lake = connect();
        PreparedStatement sql = lake.prepareStatement(statement)) {
      for (int i = 0; i < values.length; i++) {
        sql.setString(i + 1, values[i]);
      }
      sql.execute();
    }
  }

  /** The rows of a query. */
  public List<Map<String, Object>> rows(String statement, String... values) throws SQLException {
    List<Map<String, Object>> all = new ArrayList<>();
    try (Connection lake = connect();
        PreparedStatement sql = lake.prepareStatement(statement)) {
      for (int i = 0; i < values.length; i++) {
        sql.setString(i + 1, values[i]);
      }
      try (ResultSet rows = sql.executeQuery()) {
        while (rows.next()) {
          Map<String, Object> row = new LinkedHashMap<>();
          for (int i = 1; i <= rows.getMetaData().getColumnCount(); i++) {
            row.put(rows.getMetaData().getColumnLabel(i), rows.getObject(i));
          }
          all.add(row);
        }
      }
    }
    return all;
  }

  /** A query of somebody who is signed in: they may read the departures and nothing else. */
  private List<Map<String, Object>> query(String statement) throws IOException {
    if (!statement.matches("(?is)select [a-z, *]+ from departure")) {
      throw new IOException("only departures can be asked for");
    }
    try {
      return rows(statement.replace("departure", "warehouse.departure")).stream()
          .map(
              row -> {
                Map<String, Object> texts = new LinkedHashMap<>();
                row.forEach((name, value) -> texts.put(name, String.valueOf(value)));
                return texts;
              })
          .toList();
    } catch (SQLException e) {
      throw new IOException(e);
    }
  }

  private Optional<TokenDoor.Account> account(String name) {
    try {
      if (shape == Shape.TABLE) {
        List<Map<String, Object>> found =
            rows("select * from warehouse.login where name = ?", name);
        return found.stream()
            .findFirst()
            .map(
                row ->
                    new TokenDoor.Account(
                        SLOTS.stream().flatMap(s -> key(row.get("key_" + s)).stream()).toList(),
                        (Boolean) row.get("enabled"),
                        !"password".equals(row.get("mode"))));
      }
      if (rows("select 1 from pg_roles where rolname = ?", name).isEmpty()) {
        return Optional.empty();
      }
      return Optional.of(
          new TokenDoor.Account(
              settings(name).values().stream().flatMap(v -> key(v).stream()).toList(), true, true));
    } catch (SQLException e) {
      throw new IllegalStateException(e);
    }
  }

  private Map<String, String> settings(String role) throws SQLException {
    Map<String, String> settings = new LinkedHashMap<>();
    for (Map<String, Object> row :
        rows(
            "select unnest(s.setconfig) as setting from pg_db_role_setting s join pg_roles r"
                + " on r.oid = s.setrole where r.rolname = ?",
            role)) {
      String[] parts = row.get("setting").toString().split("=", 2);
      if (parts[0].startsWith("lake.verification_key_")) {
        settings.put(parts[0].substring(22), parts[1]);
      }
    }
    return settings;
  }

  private static Optional<PublicKey> key(Object text) {
    try {
      return text == null
          ? Optional.empty()
          : Optional.of(DerKeys.readSpki(Base64.getDecoder().decode(text.toString())));
    } catch (RefusedException | IllegalArgumentException notAKey) {
      return Optional.empty();
    }
  }

  private void markUsed(String name, PublicKey key) {
    try {
      if (shape == Shape.TABLE) {
        Map<String, Object> row = rows("select * from warehouse.login where name = ?", name).get(0);
        for (String slot : SLOTS) {
          if (key(row.get("key_" + slot)).filter(key::equals).isPresent()) {
            change("update warehouse.login set key_" + slot + "_used = now() where name = ?", name);
          }
        }
        return;
      }
      for (Map.Entry<String, String> setting : settings(name).entrySet()) {
        if (key(setting.getValue()).filter(key::equals).isPresent()) {
          change(
              "insert into warehouse.sign_in values (?, ?, now()) on conflict (role, slot)"
                  + " do update set at = now()",
              name,
              setting.getKey());
        }
      }
    } catch (SQLException e) {
      throw new IllegalStateException(e);
    }
  }

  @Override
  public void close() {
    door.close();
  }
}
