package tolvin.service.web;

import io.netty.bootstrap.ChannelInitializerExtension;
import io.netty.channel.Channel;
import io.netty.channel.ChannelHandlerContext;
import io.netty.channel.ChannelInboundHandlerAdapter;
import io.netty.util.concurrent.Future;
import io.quarkus.vertx.http.HttpServerOptionsCustomizer;
import io.vertx.core.http.HttpServerOptions;
import io.vertx.core.http.HttpServerRequest;
import io.vertx.core.net.impl.ConnectionBase;
import jakarta.inject.Singleton;
import java.time.Duration;
import java.util.concurrent.TimeUnit;

/**
 * Ends a connection whose next request does not have all of its headers within a time: the HTTP
 * server itself ends silent connections only, and one that sends a byte now and then stays for
 * ever. Netty hangs this into each connection that is accepted; the time runs from the connection's
 * beginning or the first byte after an answer, and covers the TLS handshake.
 */
public class HeadersDeadline extends ChannelInitializerExtension {
  /** How long the headers of a request may take to come in. */
  static final Duration PATIENCE = Duration.ofSeconds(15);

  private static final String COMPLETE = "headers are complete";
  private static final String ANSWERED = "answered";

  @Override
  public void postInitializeServerChildChannel(Channel connection) {
    connection.pipeline().addFirst(new Watch());
  }

  /** The headers of a request are there. */
  static void complete(HttpServerRequest request) {
    tell(request, COMPLETE);
  }

  /** It was answered, or given up. */
  static void answered(HttpServerRequest request) {
    tell(request, ANSWERED);
  }

  private static void tell(HttpServerRequest request, String what) {
    ((ConnectionBase) request.connection()).channel().pipeline().fireUserEventTriggered(what);
  }

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

  /** One connection; called by its event loop only. */
  private static final class Watch extends ChannelInboundHandlerAdapter {
    private boolean isAnswering;
    private Future<?> deadline;

    @Override
    public void channelActive(ChannelHandlerContext context) {
      begin(context);
      context.fireChannelActive();
    }

    @Override
    public void channelRead(ChannelHandlerContext context, Object bytes) {
      begin(context);
      context.fireChannelRead(bytes);
    }

    @Override
    public void channelInactive(ChannelHandlerContext context) {
      end();
      context.fireChannelInactive();
    }

    @Override
    public void userEventTriggered(ChannelHandlerContext context, Object event) {
      if (COMPLETE.equals(event)) {
        isAnswering = true;
        end();
      } else if (ANSWERED.equals(event)) {
        isAnswering = false;
      } else {
        context.fireUserEventTriggered(event);
      }
    }

    private void begin(ChannelHandlerContext context) {
      if (!isAnswering && deadline == null) {
        deadline =
            context
                .executor()
                .schedule(
                    () -> {
                      context.close();
                    },
                    PATIENCE.toMillis(),
                    TimeUnit.MILLISECONDS);
      }
    }

    private void end() {
      if (deadline != null) {
        deadline.cancel(false);
        deadline = null;
      }
    }
  }
}
