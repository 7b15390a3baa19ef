package tolvin.service.usage;

import io.quarkus.runtime.ShutdownEvent;
import io.quarkus.runtime.StartupEvent;
import io.vertx.core.Vertx;
import io.vertx.core.buffer.Buffer;
import io.vertx.core.http.ClientAuth;
import io.vertx.core.net.NetServer;
import io.vertx.core.net.NetServerOptions;
import io.vertx.core.net.NetSocket;
import io.vertx.core.net.PemKeyCertOptions;
import io.vertx.core.net.PemTrustOptions;
import jakarta.enterprise.context.ApplicationScoped;
import jakarta.enterprise.event.Observes;
import java.nio.charset.StandardCharsets;
import java.security.cert.Certificate;
import java.security.cert.X509Certificate;
import java.time.Instant;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.OptionalInt;
import java.util.Set;
import java.util.UUID;
import java.util.concurrent.TimeUnit;
import javax.net.ssl.SSLPeerUnverifiedException;
import org.eclipse.microprofile.config.inject.ConfigProperty;
import org.jboss.logging.Logger;
import tolvin.core.key.PlainText;
import tolvin.core.signin.LoggedLine;
import tolvin.service.job.Wakening;
import tolvin.service.record.destination.DestinationRow;
import tolvin.service.record.destination.DestinationStore;
import tolvin.service.store.ClockStore;
import tolvin.service.web.Crowd;

/**
 * Takes sign-in lines that servers send by syslog: RFC 5424 over TCP, framed as RFC 6587 says, and
 * over TLS as RFC 5425 says, where the sender has to show a certificate. The host that a message
 * names is the destination with that name or host; nothing is ever answered.
 *
 * <p>A made-up use could make a rotation believe that a client has its new key. So a certificate
 * speaks for the hosts that it names and no other, unless it is a relay's; and the plain port,
 * where nobody shows who they are, listens on loopback unless it is told otherwise.
 */
@ApplicationScoped
public class SyslogListener {
  private static final Logger LOG = Logger.getLogger(SyslogListener.class);
  private static final int LONGEST = 16 * 1024;
  private static final int MOST_WAITING = 50_000;
  private static final int MOST_TOLD = 10;
  private static final int MOST_CONNECTIONS = 1000;
  private static final int MOST_OF_ADDRESS = 32;

  /** A connection on which nothing came for so long is closed; its server opens another one. */
  private static final int SILENCE_SECONDS = 15 * 60;

  private static final long PAUSE_MILLIS = 200;
  private static final long AFTER_TROUBLE_MILLIS = 2000;

  private final Vertx vertx;
  private final Uses uses;
  private final DestinationStore destinations;
  private final Wakening wakening;
  private final ClockStore clock;
  private final String host;
  private final OptionalInt port;
  private final OptionalInt tlsPort;
  private final Optional<String> certificate;
  private final Optional<String> key;
  private final Optional<String> senders;
  private final List<String> relays;
  private final List<NetServer> servers = new ArrayList<>();
  private final Crowd crowd = new Crowd(MOST_CONNECTIONS, MOST_OF_ADDRESS);

  SyslogListener(
      Vertx vertx,
      Uses uses,
      DestinationStore destinations,
      Wakening wakening,
      ClockStore clock,
      @ConfigProperty(name = "tolvin.syslog.host", defaultValue = "127.0.0.1") String host,
      @ConfigProperty(name = "tolvin.syslog.port") OptionalInt port,
      @ConfigProperty(name = "tolvin.syslog.tls-port") OptionalInt tlsPort,
      @ConfigProperty(name = "tolvin.syslog.tls-certificate") Optional<String> certificate,
      @ConfigProperty(name = "tolvin.syslog.tls-key") Optional<String> key,
      @ConfigProperty(name = "tolvin.syslog.tls-senders") Optional<String> senders,
      @ConfigProperty(name = "tolvin.syslog.tls-relays") Optional<List<String>> relays) {
    this.vertx = vertx;
    this.uses = uses;
    this.destinations = destinations;
    this.wakening = wakening;
    this.clock = clock;
    this.host = host;
    this.port = port;
    this.tlsPort = tlsPort;
    this.certificate = certificate;
    this.key = key;
    this.senders = senders;
    this.relays = relays.orElse(List.of());
  }

  void start(@Observes StartupEvent event) {
    port.ifPresent(p -> listen(new NetServerOptions().setHost(host).setPort(p)));
    tlsPort.ifPresent(
        p -> {
          if (certificate.isEmpty() || key.isEmpty() || senders.isEmpty()) {
            throw new IllegalStateException(
                "tolvin.syslog.tls-port needs tls-certificate, tls-key and tls-senders beside it");
          }
          listen(
              new NetServerOptions()
                  .setHost(host)
                  .setPort(p)
                  .setSsl(true)
                  .setKeyCertOptions(
                      new PemKeyCertOptions().addCertPath(certificate.get()).addKeyPath(key.get()))
                  .setTrustOptions(new PemTrustOptions().addCertPath(senders.get()))
                  .setClientAuth(ClientAuth.REQUIRED));
        });
  }

  void stop(@Observes ShutdownEvent event) {
    servers.forEach(NetServer::close);
  }

  private void listen(NetServerOptions options) {
    NetServer server =
        vertx.createNetServer(
            options.setIdleTimeout(SILENCE_SECONDS).setReadIdleTimeout(SILENCE_SECONDS));
    server.connectHandler(this::begin);
    server.exceptionHandler(e -> LOG.debugf("syslog: %s", e.getMessage()));
    try {
      server.listen().toCompletionStage().toCompletableFuture().get(10, TimeUnit.SECONDS);
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
    } catch (java.util.concurrent.ExecutionException | java.util.concurrent.TimeoutException e) {
      throw new IllegalStateException(
          "syslog cannot listen on " + host + " port " + options.getPort() + ": " + e.getMessage(),
          e);
    }
    servers.add(server);
  }

  /** A server keeps one connection, a relay a few: more of one address is somebody else's doing. */
  private void begin(NetSocket socket) {
    String from = socket.remoteAddress().hostAddress();
    boolean tooMany = !crowd.enter(from);
    Runnable leave = () -> crowd.leave(from);
    if (tooMany) {
      leave.run();
      socket.close();
      return;
    }
    new Sender(socket).begin(leave);
  }

  /** One connection: its unfinished message, and the lines that wait to be taken in. */
  private final class Sender {
    private final NetSocket socket;
    private Buffer rest = Buffer.buffer();
    private final Optional<SenderNames> names;
    private final Set<String> notTheirs = new HashSet<>();
    private List<LoggedLine> waiting = new ArrayList<>();
    private boolean busy;

    Sender(NetSocket socket) {
      this.socket = socket;
      this.names = certified(socket).filter(n -> relays.stream().noneMatch(n::cover));
    }

    void begin(Runnable leave) {
      socket.exceptionHandler(e -> socket.close());
      socket.handler(this::received);
      socket.closeHandler(
          closed -> {
            leave.run();
            if (!busy && !waiting.isEmpty()) {
              busy = true;
              takeIn();
            }
          });
    }

    private void received(Buffer data) {
      rest.appendBuffer(data);
      int at = 0;
      while (at < rest.length()) {
        int next = message(at);
        if (next < 0) {
          break;
        }
        at = next;
      }
      rest = rest.slice(at, rest.length()).copy();
      if (rest.length() > LONGEST) {
        LOG.debug("syslog: a message without end; the connection is closed");
        socket.close();
      }
      if (waiting.size() > MOST_WAITING) {
        socket.pause();
      }
      if (!waiting.isEmpty() && !busy) {
        busy = true;
        vertx.setTimer(PAUSE_MILLIS, timer -> takeIn());
      }
    }

    /** Reads the message that begins here; gives where the next one does, or -1 if it is cut. */
    private int message(int at) {
      byte first = rest.getByte(at);
      if (first >= '1' && first <= '9') {
        int blank = at;
        while (blank < rest.length() && blank - at < 6 && rest.getByte(blank) != ' ') {
          blank++;
        }
        if (blank == rest.length()) {
          return -1;
        }
        String count = rest.getString(at, blank);
        if (count.matches("\\d{1,5}")) {
          int end = blank + 1 + Integer.parseInt(count);
          if (end > rest.length()) {
            return -1;
          }
          line(rest.getString(blank + 1, end, StandardCharsets.ISO_8859_1.name()));
          return end;
        }
      }
      int end = at;
      while (end < rest.length() && rest.getByte(end) != '\n') {
        end++;
      }
      if (end == rest.length()) {
        return -1;
      }
      line(rest.getString(at, end, StandardCharsets.ISO_8859_1.name()));
      return end + 1;
    }

    private void line(String text) {
      LoggedLine.read(text.stripTrailing(), Instant.now())
          .filter(line -> !line.host().isEmpty() && line.digest() != 0)
          .filter(this::maySayThat)
          .ifPresent(waiting::add);
    }

    private boolean maySayThat(LoggedLine line) {
      if (names.isEmpty() || names.get().cover(line.host())) {
        return true;
      }
      if (notTheirs.size() < MOST_TOLD && notTheirs.add(line.host())) {
        LOG.warnf(
            "syslog: %s has a certificate for %s and sends lines of %s, which do not count. If it"
                + " is a relay, name it in tolvin.syslog.tls-relays.",
            socket.remoteAddress(), names.get(), PlainText.shown(line.host()));
      }
      return false;
    }

    /** Takes in what waits; what could not be kept waits on, and nothing more is read meanwhile. */
    private void takeIn() {
      List<LoggedLine> lines = waiting;
      waiting = new ArrayList<>();
      vertx
          .executeBlocking(
              () -> {
                SyslogListener.this.takeIn(lines);
                return null;
              },
              false)
          .onComplete(
              done -> {
                if (done.failed()) {
                  LOG.warnf("Uses sent by syslog could not be kept yet: %s", done.cause());
                  lines.addAll(waiting);
                  waiting = lines;
                  socket.pause();
                  vertx.setTimer(AFTER_TROUBLE_MILLIS, timer -> takeIn());
                  return;
                }
                busy = !waiting.isEmpty();
                socket.resume();
                if (busy) {
                  vertx.setTimer(PAUSE_MILLIS, timer -> takeIn());
                }
              });
    }
  }

  /** The names in a sender's certificate; empty where none is asked for. */
  private static Optional<SenderNames> certified(NetSocket socket) {
    if (!socket.isSsl()) {
      return Optional.empty();
    }
    try {
      Certificate shown = socket.sslSession().getPeerCertificates()[0];
      return Optional.of(SenderNames.of((X509Certificate) shown));
    } catch (SSLPeerUnverifiedException impossible) {
      throw new IllegalStateException("a sender without a certificate was let in", impossible);
    }
  }

  private void takeIn(List<LoggedLine> lines) {
    if (lines.isEmpty()) {
      return;
    }
    Map<String, UUID> known = new HashMap<>();
    tolvin.service.store.Transactions.inNewTransaction(
        () -> {
          List<DestinationRow> all = destinations.inForce();
          for (DestinationRow at : all) {
            if (all.stream().filter(other -> other.host.equals(at.host)).count() == 1) {
              known.put(at.host, at.id);
            }
          }
          all.forEach(at -> known.put(at.name, at.id));
          return null;
        });
    Map<UUID, List<LoggedLine>> byDestination = new HashMap<>();
    for (LoggedLine line : lines) {
      UUID id = known.get(line.host());
      if (id != null) {
        byDestination.computeIfAbsent(id, d -> new ArrayList<>()).add(line);
      }
    }
    Instant now = tolvin.service.store.Transactions.inNewTransaction(clock::now);
    for (Map.Entry<UUID, List<LoggedLine>> one : byDestination.entrySet()) {
      Uses.Taken taken = uses.take(one.getKey(), one.getValue(), UseOrigin.SENT, now);
      if (taken.counted() > 0) {
        wakening.of(taken.accounts());
      }
    }
  }
}
