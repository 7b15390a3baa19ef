package tolvin.service.store;

import io.quarkus.runtime.ShutdownEvent;
import jakarta.enterprise.context.ApplicationScoped;
import jakarta.enterprise.event.Observes;
import java.sql.Connection;
import java.sql.DriverManager;
import java.sql.SQLException;
import java.sql.Statement;
import java.util.List;
import java.util.Map;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.CopyOnWriteArrayList;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.atomic.AtomicBoolean;
import java.util.function.Consumer;
import org.eclipse.microprofile.config.inject.ConfigProperty;
import org.jboss.logging.Logger;
import org.postgresql.PGConnection;
import org.postgresql.PGNotification;

/**
 * Hears what transactions of all instances send with {@link NewsStore}, over a connection of its
 * own. What is sent while it is not connected is lost, so each time it connects every listener
 * hears {@link #ANYTHING}.
 */
@ApplicationScoped
public class News {
  private static final Logger LOG = Logger.getLogger(News.class);

  /** What every listener hears when something may have been missed. */
  public static final String ANYTHING = "";

  private static final int WAIT_MILLIS = 10_000;
  private static final long PAUSE_SECONDS = 2;

  private final String url;
  private final String user;
  private final String password;
  private final Map<String, List<Consumer<String>>> listeners = new ConcurrentHashMap<>();
  private final AtomicBoolean isToConnectAnew = new AtomicBoolean();
  private volatile boolean ending;
  private Thread thread;
  private volatile Connection connection;

  News(
      @ConfigProperty(name = "quarkus.datasource.jdbc.url") String url,
      @ConfigProperty(name = "quarkus.datasource.username") String user,
      @ConfigProperty(name = "quarkus.datasource.password") String password) {
    this.url = url;
    this.user = user;
    this.password = password;
  }

  /** Adds a listener, which hears from now on what is sent on a channel. */
  public synchronized void listen(String channel, Consumer<String> listener) {
    listeners.computeIfAbsent(channel, c -> new CopyOnWriteArrayList<>()).add(listener);
    if (thread == null) {
      thread = new Thread(this::hear, "database-news");
      thread.setDaemon(true);
      thread.start();
    } else {
      isToConnectAnew.set(true); // and asks for this channel too
      disconnect();
    }
  }

  void stop(@Observes ShutdownEvent event) {
    ending = true;
    disconnect();
  }

  private void disconnect() {
    Connection open = connection;
    if (open != null) {
      try {
        open.abort(Runnable::run);
      } catch (SQLException e) {
        LOG.debugf("The connection for news was gone already: %s", e.getMessage());
      }
    }
  }

  private void hear() {
    while (!ending) {
      try (Connection open = DriverManager.getConnection(url, user, password)) {
        connection = open;
        try (Statement statement = open.createStatement()) {
          for (String channel : listeners.keySet()) {
            statement.execute("listen " + channel);
          }
        }
        listeners.values().forEach(some -> some.forEach(l -> l.accept(ANYTHING)));
        while (!ending) {
          PGNotification[] heard = open.unwrap(PGConnection.class).getNotifications(WAIT_MILLIS);
          for (PGNotification one : heard == null ? new PGNotification[0] : heard) {
            listeners.get(one.getName()).forEach(l -> l.accept(one.getParameter()));
          }
        }
      } catch (SQLException | RuntimeException e) { // a listener must not end this thread
        if (!ending && !isToConnectAnew.getAndSet(false)) {
          LOG.debugf("News from the database could not be heard: %s", e.getMessage());
          pause();
        }
      }
    }
  }

  private static void pause() {
    try {
      TimeUnit.SECONDS.sleep(PAUSE_SECONDS);
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
    }
  }
}
