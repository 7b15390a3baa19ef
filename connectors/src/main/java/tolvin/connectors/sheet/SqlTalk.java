package tolvin.connectors.sheet;

import com.fasterxml.jackson.databind.node.ArrayNode;
import com.fasterxml.jackson.databind.node.JsonNodeFactory;
import com.fasterxml.jackson.databind.node.ObjectNode;
import com.fasterxml.jackson.databind.node.TextNode;
import java.net.URI;
import java.sql.Connection;
import java.sql.DriverManager;
import java.sql.PreparedStatement;
import java.sql.ResultSet;
import java.sql.ResultSetMetaData;
import java.sql.SQLException;
import java.sql.Timestamp;
import java.sql.Types;
import java.time.Duration;
import java.time.Instant;
import java.util.Map;
import java.util.Optional;
import java.util.Properties;
import java.util.Set;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import org.postgresql.ssl.DefaultJavaSSLFactory;
import org.postgresql.ssl.SingleCertValidatingFactory;
import tolvin.connectors.shared.Cleartext;
import tolvin.connectors.shared.Egress;
import tolvin.core.port.PortException;
import tolvin.core.port.PortException.Kind;
import tolvin.core.sheet.Operation;
import tolvin.core.sheet.SqlTemplate;

/** Talks SQL to a system over JDBC; all statements of one operation are one transaction. */
final class SqlTalk implements AutoCloseable {
  private static final int MOST_ROWS = 100_000;
  private static final String ADDRESS =
      "jdbc:postgresql://[A-Za-z0-9.:_\\[\\]-]+(:\\d{1,5})?/[A-Za-z0-9_-]+";
  private static final Pattern HOST =
      Pattern.compile("^jdbc:postgresql://(\\[[^]]*\\]|[^:/]*)(?::\\d+)?/");
  private static final Set<String> SECRET_STATES = Set.of("28P01", "28000");

  private final String name;
  private final Connection database;
  private boolean changed;

  private SqlTalk(String name, Connection database) {
    this.name = name;
    this.database = database;
  }

  /** Connects. */
  static SqlTalk open(tolvin.core.port.Connection to, Duration patience, Egress egress)
      throws PortException {
    if (!to.address().matches(ADDRESS)) {
      throw new PortException(
          Kind.NOT_ALLOWED,
          to.name() + " has an address that Tolvin cannot connect to: " + to.address() + ".",
          "Give one such as jdbc:postgresql://warehouse.skerrymoor.example:5432/lake, without"
              + " options behind it.");
    }
    egress.check(URI.create(to.address().substring("jdbc:".length())));
    Properties properties = new Properties();
    properties.setProperty("user", to.user());
    properties.setProperty("password", to.secret());
    String seconds = String.valueOf(Math.max(1, patience.toSeconds()));
    properties.setProperty("loginTimeout", seconds);
    properties.setProperty("connectTimeout", seconds);
    properties.setProperty("socketTimeout", seconds);
    properties.setProperty("ApplicationName", "tolvin");
    encrypt(to, properties);
    try {
      Connection database = DriverManager.getConnection(to.address(), properties);
      database.setAutoCommit(false);
      return new SqlTalk(to.name(), database);
    } catch (SQLException e) {
      if (SECRET_STATES.contains(String.valueOf(e.getSQLState()))) {
        throw new PortException(
            Kind.SIGN_IN_REFUSED,
            to.name() + " does not let " + to.user() + " in: the password is not good.",
            "Give the new one; look whether it has ended.");
      }
      throw new PortException(
          Kind.UNREACHABLE,
          to.name() + " cannot be reached at " + to.address() + ": " + shortly(e) + ".",
          "It is tried again by itself. Look whether the database runs, and at its address.");
    }
  }

  /**
   * Off this machine, and wherever a certificate is given to check with, the server has to show one
   * that is valid for its name, before it is told the password.
   */
  private static void encrypt(tolvin.core.port.Connection to, Properties properties) {
    String trusted = to.settings().getOrDefault("trusted-certificate", "");
    Matcher host = HOST.matcher(to.address());
    if (trusted.isEmpty() && host.find() && Cleartext.isAllowed(host.group(1))) {
      return;
    }
    properties.setProperty("sslmode", "verify-full");
    if (trusted.isEmpty()) {
      properties.setProperty("sslfactory", DefaultJavaSSLFactory.class.getName());
    } else {
      properties.setProperty("sslfactory", SingleCertValidatingFactory.class.getName());
      properties.setProperty("sslfactoryarg", trusted);
    }
  }

  /** Runs a statement. */
  Answer run(Operation.Sql statement, Map<String, Object> values) throws PortException {
    SqlTemplate.Ready ready;
    try {
      ready = statement.statement().fill(values);
    } catch (IllegalArgumentException wrong) {
      throw new PortException(
          Kind.NOT_ALLOWED, name + ": " + wrong.getMessage(), "Nothing was sent.");
    }
    String tried = ready.text().replaceAll("\\s+", " ");
    try (PreparedStatement prepared = database.prepareStatement(ready.text())) {
      for (int i = 0; i < ready.bound().size(); i++) {
        prepared.setObject(i + 1, ready.bound().get(i), Types.OTHER);
      }
      if (prepared.execute()) {
        try (ResultSet rows = prepared.getResultSet()) {
          ArrayNode found = rows(rows);
          if (statement.rows().isPresent() && found.size() != statement.rows().getAsInt()) {
            throw new PortException(
                found.isEmpty() ? Kind.NO_ACCOUNT : Kind.NOT_ALLOWED,
                name
                    + ": “"
                    + tried
                    + "” gave "
                    + found.size()
                    + " rows instead of "
                    + statement.rows().getAsInt()
                    + ".",
                "Look whether the account is there, under that name.");
          }
          return new Answer(tried, "00000", found, "", Optional.empty(), true);
        }
      }
      changed = true;
      int count = prepared.getUpdateCount();
      if (statement.rows().isPresent() && count != statement.rows().getAsInt()) {
        throw new PortException(
            Kind.CHANGED_MEANWHILE,
            name
                + ": “"
                + tried
                + "” would have changed "
                + count
                + " rows instead of "
                + statement.rows().getAsInt()
                + "; somebody else was there first, or the account is gone.",
            "Nothing was changed. It is looked at again before anything else is done.");
      }
      return new Answer(
          tried, "00000", JsonNodeFactory.instance.arrayNode(), "", Optional.empty(), true);
    } catch (SQLException e) {
      String state = String.valueOf(e.getSQLState());
      if (state.startsWith("08") || state.startsWith("57")) {
        throw lost(tried, e);
      }
      return new Answer(tried, state, TextNode.valueOf(shortly(e)), "", Optional.empty(), false);
    }
  }

  private PortException lost(String tried, SQLException e) {
    return new PortException(
        changed ? Kind.UNKNOWN_OUTCOME : Kind.UNREACHABLE,
        name + " was lost at “" + tried + "”: " + shortly(e) + ".",
        "It is looked at again before anything else is done.");
  }

  /** Makes the changes stand. */
  void commit() throws PortException {
    try {
      database.commit();
    } catch (SQLException e) {
      throw new PortException(
          changed ? Kind.UNKNOWN_OUTCOME : Kind.UNREACHABLE,
          name + " was lost while a change was made to stand: " + shortly(e) + ".",
          "It may or may not have been done; it is looked at before anything else.");
    }
  }

  private static ArrayNode rows(ResultSet rows) throws SQLException {
    ArrayNode list = JsonNodeFactory.instance.arrayNode();
    ResultSetMetaData columns = rows.getMetaData();
    while (rows.next() && list.size() < MOST_ROWS) {
      ObjectNode row = list.addObject();
      for (int i = 1; i <= columns.getColumnCount(); i++) {
        Object value = rows.getObject(i);
        String label = columns.getColumnLabel(i);
        if (value instanceof Timestamp time) {
          row.put(label, Instant.ofEpochMilli(time.getTime()).toString());
        } else if (value instanceof Boolean truth) {
          row.put(label, truth);
        } else if (value != null) {
          row.put(label, value.toString());
        }
      }
    }
    return list;
  }

  /** A database's message on one line; its detail may show values and stays out. */
  private static String shortly(SQLException e) {
    String message = String.valueOf(e.getMessage()).lines().findFirst().orElse("");
    return message.length() > 200 ? message.substring(0, 200) : message;
  }

  @Override
  public void close() {
    try {
      database.close();
    } catch (SQLException alreadyGone) {
      // what was not committed is undone by the database itself
    }
  }
}
