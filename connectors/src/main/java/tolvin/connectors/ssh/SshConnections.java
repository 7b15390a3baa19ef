package tolvin.connectors.ssh;

import java.io.IOException;
import java.time.Duration;
import java.util.Comparator;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.concurrent.ConcurrentHashMap;
import org.apache.sshd.client.session.ClientSession;
import org.apache.sshd.sftp.client.SftpClient;
import org.apache.sshd.sftp.client.SftpClientFactory;
import tolvin.connectors.shared.Egress;
import tolvin.connectors.shared.TimedLock;
import tolvin.core.key.Fingerprint;
import tolvin.core.port.Login;
import tolvin.core.port.PortException;
import tolvin.core.port.PortException.Kind;
import tolvin.core.server.FilesWay;

/**
 * SFTP connections that are kept and used again, one for each login. Work on one connection is done
 * one piece after the other; different logins do not wait for each other.
 */
public final class SshConnections implements AutoCloseable {
  /** How long one piece of work may take, unless it is said otherwise. */
  public static final Duration LIMIT = Duration.ofSeconds(20);

  private final Traffic traffic = new Traffic();
  private final Hosts hosts;
  private final Egress egress;
  private final SshClients clients;
  private final Map<Key, Kept> kept = new ConcurrentHashMap<>();

  private final int most;

  /** None yet. */
  public SshConnections() {
    this(MOST, LIMIT, Egress.ANYWHERE);
  }

  /**
   * None yet.
   *
   * @param limit how long one piece of work on a host may take; its connection is ended then
   */
  public SshConnections(Duration limit) {
    this(limit, Egress.ANYWHERE);
  }

  /**
   * None yet.
   *
   * @param limit likewise
   * @param egress where they may lead
   */
  public SshConnections(Duration limit, Egress egress) {
    this(MOST, limit, egress);
  }

  /**
   * None yet.
   *
   * @param most how many are kept at most
   */
  SshConnections(int most) {
    this(most, LIMIT, Egress.ANYWHERE);
  }

  private SshConnections(int most, Duration limit, Egress egress) {
    this.most = most;
    this.egress = egress;
    this.clients = new SshClients(traffic, egress);
    this.hosts = new Hosts(limit);
  }

  /** Where connections may lead. */
  public Egress egress() {
    return egress;
  }

  /** Which hosts answer. */
  public Hosts hosts() {
    return hosts;
  }

  /**
   * In which way files on a host are reached now; empty while no connection to it is kept that was
   * used for files.
   */
  Optional<FilesWay> way(String host, int port) {
    return kept.entrySet().stream()
        .filter(one -> one.getKey().host().equals(host) && one.getKey().port() == port)
        .flatMap(one -> one.getValue().way().stream())
        .findFirst();
  }

  /** How many are open. */
  long open() {
    return kept.values().stream().filter(Kept::isOpen).count();
  }

  private record Key(
      String host, int port, String user, Fingerprint key, List<Fingerprint> hostKeys) {
    static Key of(Login login) {
      return new Key(
          login.server().host(),
          login.server().port(),
          login.user(),
          login.signer().key().fingerprint(),
          login.server().hostKeys().stream().map(k -> k.fingerprint()).toList());
    }
  }

  /** More connections than this are not kept: a server has a process for each. */
  private static final int MOST = 100;

  private static final class Kept {
    final TimedLock lock = new TimedLock();
    volatile long usedAt;
    volatile ClientSession session;
    volatile SftpClient sftp;
    volatile FilesRequests script;

    boolean isOpen() {
      ClientSession now = session;
      return now != null && now.isOpen() && now.isAuthenticated();
    }

    /** Its files, in the way that the server lets the login reach them: SFTP if that is whole. */
    RemoteFiles files(Login login, Traffic traffic) throws PortException, LostBeforeEffect {
      try {
        if (script == null && (sftp == null || !sftp.isOpen())) {
          choose(login);
        }
      } catch (IOException e) {
        throw new LostBeforeEffect(RemoteFiles.lost(login, e));
      }
      return script == null
          ? new SftpFiles(sftp, login, traffic)
          : new CommandFiles(script, login, traffic, session.getServerVersion());
    }

    private void choose(Login login) throws PortException, IOException {
      String why;
      try {
        sftp = SftpClientFactory.instance().createSftpClient(session);
        if (SftpFiles.isWhole(sftp)) {
          return;
        }
        why = "its SFTP cannot replace a file in one step";
      } catch (IOException e) {
        if (!session.isOpen()) {
          throw e;
        }
        why = e.getMessage();
      } catch (IllegalStateException closing) {
        throw new IOException(
            closing.getMessage(), closing); // what the library says of a dying one
      }
      script = FilesRequests.on(session).orElse(null);
      if (script == null && sftp == null) {
        throw new PortException(
            Kind.NOT_ALLOWED,
            login + " lets Tolvin in, but neither to SFTP (" + why + ") nor to commands.",
            "Allow SFTP for that login, or let it run the script that “tolvin destination script”"
                + " writes.");
      }
    }

    /** In which way its files are reached; empty while it was not found out. */
    Optional<FilesWay> way() {
      FilesRequests asked = script;
      return asked != null
          ? Optional.of(asked.way())
          : Optional.ofNullable(sftp).map(open -> FilesWay.SFTP);
    }

    void close() {
      end();
      session = null;
      sftp = null;
      script = null;
    }

    /** Ends the connection from another thread; whoever waits on it gets an exception. */
    void end() {
      ClientSession now = session;
      if (now != null) {
        now.close(true);
      }
    }
  }

  /** Work with files on a connection. */
  @FunctionalInterface
  interface Work<T> {
    T with(RemoteFiles files) throws PortException, IOException;
  }

  /**
   * Work on a connection itself.
   *
   * @param <T> what comes of it
   */
  @FunctionalInterface
  public interface SessionWork<T> {
    /**
     * Does it.
     *
     * @throws LostBeforeEffect if the connection turned out to be dead and nothing was done yet
     */
    T with(ClientSession session) throws PortException, IOException;
  }

  /** What was done over the network so far. */
  public Traffic.Counts traffic() {
    return traffic.counts();
  }

  /**
   * Does work with files over the kept connection of a login, which is opened if there is none.
   *
   * @throws PortException if the connection or the work fails
   */
  <T> T use(Login login, Work<T> work) throws PortException {
    return on(login, hosts.limit(), kept -> work.with(kept.files(login, traffic)));
  }

  /**
   * Does work on the kept connection of a login, which is opened if there is none.
   *
   * @throws PortException if the connection or the work fails
   */
  public <T> T session(Login login, SessionWork<T> work) throws PortException {
    return session(login, hosts.limit(), work);
  }

  /**
   * Likewise, for work that may take longer.
   *
   * @param most how long it may take
   */
  public <T> T session(Login login, Duration most, SessionWork<T> work) throws PortException {
    return on(login, most, kept -> work.with(kept.session));
  }

  /**
   * Does work with files over a connection that was not there before and is not kept.
   *
   * @throws PortException if the connection or the work fails
   */
  <T> T useNew(Login login, Work<T> work) throws PortException {
    Kept fresh = new Kept();
    return hosts.within(
        login,
        hosts.limit(),
        fresh::end,
        () -> {
          try {
            open(fresh, login);
            return work.with(fresh.files(login, traffic));
          } catch (LostBeforeEffect lost) {
            throw lost.failure();
          } catch (IOException e) {
            throw RemoteFiles.lost(login, e);
          } finally {
            fresh.close();
          }
        });
  }

  /** Work on what is kept. */
  @FunctionalInterface
  private interface KeptWork<T> {
    T with(Kept kept) throws PortException, IOException;
  }

  private <T> T on(Login login, Duration most, KeptWork<T> work) throws PortException {
    Kept connection = kept.computeIfAbsent(Key.of(login), key -> new Kept());
    connection.lock.take(login.server().name(), hosts.limit().dividedBy(2));
    try {
      return hosts.within(login, most, connection::end, () -> locked(connection, login, work));
    } finally {
      connection.lock.release();
    }
  }

  private <T> T locked(Kept connection, Login login, KeptWork<T> work) throws PortException {
    try {
      connection.usedAt = System.nanoTime();
      boolean reused = connection.isOpen();
      if (!reused) {
        open(connection, login);
      }
      try {
        return work.with(connection);
      } catch (LostBeforeEffect lost) {
        if (!reused) {
          throw lost.failure();
        }
        // A kept connection may have died of old age; nothing was done yet, so one fresh try.
        open(connection, login);
        return work.with(connection);
      }
    } catch (LostBeforeEffect lost) {
      connection.close();
      throw lost.failure();
    } catch (IOException e) {
      connection.close();
      throw RemoteFiles.lost(login, e);
    } catch (PortException e) {
      if (e.kind() == Kind.UNKNOWN_OUTCOME) {
        connection.close(); // what is under way there is not waited for on the same connection
      }
      throw e;
    }
  }

  /** Lets go of what was not used for the longest time, if too much is kept. */
  private void makeRoom() {
    List<Kept> open = kept.values().stream().filter(Kept::isOpen).toList();
    long now = System.nanoTime();
    open.stream()
        .sorted(Comparator.comparingLong(one -> one.usedAt - now))
        .limit(Math.max(0, open.size() - most + 1))
        .filter(one -> one.lock.takeIfFree())
        .forEach(
            one -> {
              one.close();
              one.lock.release();
            });
  }

  private void open(Kept connection, Login login) throws PortException {
    connection.close();
    makeRoom();
    ClientSession session = clients.connect(login, SshClients.Purpose.KEPT);
    try {
      connection.session = session;
      SshTrials.authenticate(session, login);
    } catch (SshTrials.RefusedSignIn refused) {
      connection.close();
      throw new PortException(
          Kind.SIGN_IN_REFUSED,
          login + " does not let Tolvin in: " + refused.getMessage() + ".",
          "Put Tolvin's key "
              + login.signer().key().fingerprint()
              + " into that login's authorized_keys.",
          refused);
    } catch (PortException e) {
      connection.close();
      throw e;
    }
  }

  SshClients clients() {
    return clients;
  }

  Traffic counting() {
    return traffic;
  }

  @Override
  public void close() {
    kept.values().forEach(Kept::close);
    kept.clear();
    hosts.close();
    clients.close();
  }
}
