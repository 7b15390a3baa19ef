package tolvin.service.web;

import io.netty.bootstrap.ChannelInitializerExtension;
import io.netty.channel.Channel;
import io.netty.channel.ChannelHandlerContext;
import io.netty.channel.ChannelInboundHandlerAdapter;
import io.netty.channel.ChannelOutboundBuffer;
import io.netty.util.concurrent.Future;
import io.quarkus.vertx.http.HttpServerOptionsCustomizer;
import io.vertx.core.http.HttpServerOptions;
import io.vertx.core.http.HttpServerRequest;
import io.vertx.core.net.impl.ConnectionBase;
import jakarta.inject.Singleton;
import java.time.Duration;
import java.util.concurrent.TimeUnit;

/**
 * Ends a connection whose client takes too long, and never one on whose request the service works:
 * what has been asked may take as long as it takes, and is answered.
 *
 * <ul>
 *   <li>All headers of a request come in within {@link #HEADERS}, from the connection's beginning
 *       (the TLS handshake included) or from the first byte after an answer.
 *   <li>The next request begins within {@link #SILENCE}.
 *   <li>Of an answer something is taken in every {@link #SILENCE}.
 * </ul>
 *
 * <p>The HTTP server itself knows only silence on a connection, which cuts off a request that is
 * worked on for longer, and keeps for ever who sends a byte now and then. Netty hangs this into
 * each connection that is accepted. A body's time is {@link RequestLimits}'s.
 */
public class ConnectionDeadlines extends ChannelInitializerExtension {
  /** How long the headers of a request may take to come in. */
  static final Duration HEADERS = Duration.ofSeconds(15);

  /** How long a client may neither ask the next thing nor take anything of its answer. */
  static final Duration SILENCE = Duration.ofSeconds(60);

  @Override
  public void postInitializeServerChildChannel(Channel connection) {
    connection.pipeline().addFirst(new Watch());
  }

  /** The headers of a request are there. */
  static void complete(HttpServerRequest request) {
    fire(request, new Complete(request));
  }

  /** It was answered, or given up. */
  static void answered(HttpServerRequest request) {
    fire(request, new Answered(request));
  }

  private static void fire(HttpServerRequest request, Object event) {
    ((ConnectionBase) request.connection()).channel().pipeline().fireUserEventTriggered(event);
  }

  /** The headers of a request, which only stands for itself here, are there. */
  record Complete(Object request) {}

  /** A request was answered, or given up. */
  record Answered(Object request) {}

  /** Has Netty look for extensions before the HTTP server is made. */
  @Singleton
  static class Loaded implements HttpServerOptionsCustomizer {
    @Override
    public void customizeHttpServer(HttpServerOptions options) {
      load();
    }

    @Override
    public void customizeHttpsServer(HttpServerOptions options) {
      load();
    }

    private static void load() {
      System.setProperty(ChannelInitializerExtension.EXTENSIONS_SYSTEM_PROPERTY, "serviceload");
    }
  }

  /** What goes on on a connection. */
  private enum Now {
    HEADERS_COME,
    ANSWERING,
    NOTHING_ASKED
  }

  /** One connection; called by its event loop only. */
  static final class Watch extends ChannelInboundHandlerAdapter {
    private Now now = Now.NOTHING_ASKED;
    private Object request;
    private Sent sent = new Sent(null, 0, 0);
    private Future<?> deadline;

    @Override
    public void channelActive(ChannelHandlerContext context) {
      begin(context, Now.HEADERS_COME);
      context.fireChannelActive();
    }

    @Override
    public void channelRead(ChannelHandlerContext context, Object bytes) {
      if (now == Now.NOTHING_ASKED) {
        begin(context, Now.HEADERS_COME);
      }
      context.fireChannelRead(bytes);
    }

    @Override
    public void channelInactive(ChannelHandlerContext context) {
      deadline.cancel(false);
      context.fireChannelInactive();
    }

    @Override
    public void userEventTriggered(ChannelHandlerContext context, Object event) {
      if (event instanceof Complete complete) {
        request = complete.request();
        begin(context, Now.ANSWERING);
      } else if (!(event instanceof Answered answered)) {
        context.fireUserEventTriggered(event);
      } else if (answered.request() == request) {
        begin(context, Now.NOTHING_ASKED);
      }
    }

    private void begin(ChannelHandlerContext context, Now next) {
      now = next;
      if (deadline != null) {
        deadline.cancel(false);
      }
      sent = Sent.of(context.channel());
      schedule(context, next == Now.HEADERS_COME ? HEADERS : SILENCE);
    }

    private void schedule(ChannelHandlerContext context, Duration time) {
      deadline =
          context
              .executor()
              .schedule(() -> passed(context), time.toMillis(), TimeUnit.MILLISECONDS);
    }

    private void passed(ChannelHandlerContext context) {
      Sent before = sent;
      sent = Sent.of(context.channel());
      boolean isTaken = !sent.equals(before);
      boolean goesOn =
          switch (now) {
            case HEADERS_COME -> false;
            case ANSWERING -> isTaken || sent.waiting() == 0;
            case NOTHING_ASKED -> isTaken && sent.waiting() > 0;
          };
      if (goesOn) {
        schedule(context, SILENCE);
      } else {
        context.close();
      }
    }
  }

  /**
   * How far a client has taken what was written to it.
   *
   * @param first what it takes next; null if nothing waits
   * @param ofFirst the bytes of that which it took
   * @param waiting the bytes that wait in all
   */
  private record Sent(Object first, long ofFirst, long waiting) {
    static Sent of(Channel connection) {
      ChannelOutboundBuffer out = connection.unsafe().outboundBuffer();
      return out == null
          ? new Sent(null, 0, 0)
          : new Sent(out.current(), out.currentProgress(), out.totalPendingWriteBytes());
    }

    @Override
    public boolean equals(Object other) {
      return other instanceof Sent that
          && that.first == first
          && that.ofFirst == ofFirst
          && that.waiting == waiting;
    }

    @Override
    public int hashCode() {
      return Long.hashCode(waiting);
    }
  }
}
