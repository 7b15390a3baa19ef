package tolvin.service.web;

import io.netty.handler.codec.http.HttpResponseStatus;
import io.quarkus.vertx.http.runtime.filters.Filters;
import io.quarkus.vertx.http.runtime.security.QuarkusHttpUser;
import io.vertx.core.Vertx;
import io.vertx.core.buffer.Buffer;
import io.vertx.core.http.HttpServerRequest;
import io.vertx.core.json.JsonObject;
import io.vertx.ext.web.RoutingContext;
import io.vertx.ext.web.impl.RoutingContextInternal;
import jakarta.enterprise.context.ApplicationScoped;
import jakarta.enterprise.event.Observes;
import java.time.Duration;
import java.util.concurrent.atomic.AtomicLong;
import tolvin.service.problem.Problem;

/**
 * Takes in requests before anybody works on them, so that nobody can stop the service by sending
 * much, slowly, or often. A body is collected without holding a thread, within a size, a time and a
 * sum of all bodies; a caller who did not sign in has a small share of each.
 */
@ApplicationScoped
public class RequestLimits {
  /** What somebody may send who did not sign in. */
  static final long MOST_OF_ANONYMOUS = 64 * 1024;

  /** What somebody may send who signed in: a file of keys. */
  static final long MOST = 16L * 1024 * 1024;

  /** All bodies that are in memory together. */
  private static final long MOST_IN_ALL = 4 * MOST;

  /** What anonymous bodies may have of it. */
  private static final long MOST_OF_ALL_ANONYMOUS = MOST / 4;

  /** How long a body may take to come in. */
  private static final Duration PATIENCE_WITH_ANONYMOUS = Duration.ofSeconds(10);

  private static final Duration PATIENCE = Duration.ofSeconds(60);

  /** Requests that are worked on at once: of one address without credentials, and in all. */
  private static final int AT_ONCE_OF_ADDRESS = 24;

  private static final int AT_ONCE = 400;

  /** Behind authentication (200) and before the check of roles (100). */
  private static final int AFTER_AUTHENTICATION = 190;

  /** Before authentication asks the database. */
  private static final int BEFORE_AUTHENTICATION = 290;

  private static final String HEALTH = "/q/health";

  private final Vertx vertx;
  private final AtomicLong bytes = new AtomicLong();
  private final AtomicLong anonymousBytes = new AtomicLong();
  private final Crowd crowd = new Crowd(AT_ONCE, AT_ONCE_OF_ADDRESS);

  RequestLimits(Vertx vertx) {
    this.vertx = vertx;
  }

  void add(@Observes Filters filters) {
    filters.register(this::count, BEFORE_AUTHENTICATION);
    filters.register(this::collect, AFTER_AUTHENTICATION);
  }

  /** Counts a request in, and out when it was answered or given up. */
  private void count(RoutingContext context) {
    ConnectionDeadlines.complete(context.request());
    context.addEndHandler(ended -> ConnectionDeadlines.answered(context.request()));
    if (context.normalizedPath().startsWith(HEALTH)) {
      context.next(); // a supervisor that restarts what is not well must hear that it is
      return;
    }
    boolean showsWho =
        context.request().getHeader("Authorization") != null
            || context.request().getHeader("Cookie") != null;
    String stranger = showsWho ? null : Addresses.of(context.request());
    boolean tooMany = !crowd.enter(stranger);
    context.addEndHandler(ended -> crowd.leave(stranger));
    if (tooMany) {
      refuse(
          context, 503, "busy", "There are too many requests at once.", "Try again in a second.");
      return;
    }
    context.next();
  }

  private void collect(RoutingContext context) {
    HttpServerRequest request = context.request();
    String length = request.getHeader("Content-Length");
    if (length == null && request.getHeader("Transfer-Encoding") == null) {
      context.next();
      return;
    }
    boolean anonymous = isAnonymous(context);
    long most = anonymous ? MOST_OF_ANONYMOUS : MOST;
    long announced = length == null ? most : announced(length);
    if (announced > most) {
      tooLarge(context, most);
      return;
    }
    AtomicLong sum = anonymous ? anonymousBytes : bytes;
    if (sum.addAndGet(announced) > (anonymous ? MOST_OF_ALL_ANONYMOUS : MOST_IN_ALL)) {
      sum.addAndGet(-announced);
      refuse(context, 503, "busy", "There are too many bodies at once.", "Try again in a second.");
      return;
    }
    context.addEndHandler(ended -> sum.addAndGet(-announced));
    Duration patience = anonymous ? PATIENCE_WITH_ANONYMOUS : PATIENCE;
    long deadline =
        vertx.setTimer(
            patience.toMillis(),
            late -> {
              request.connection().close();
              context.fail(HttpResponseStatus.REQUEST_TIMEOUT.code());
            });
    Buffer body = Buffer.buffer((int) Math.min(announced, MOST_OF_ANONYMOUS));
    request.exceptionHandler(
        broken -> {
          vertx.cancelTimer(deadline);
          context.fail(HttpResponseStatus.BAD_REQUEST.code());
        });
    request.handler(
        part -> {
          body.appendBuffer(part);
          if (body.length() > most) {
            request.handler(null);
            vertx.cancelTimer(deadline);
            tooLarge(context, most);
          }
        });
    request.endHandler(
        whole -> {
          vertx.cancelTimer(deadline);
          if (!context.response().ended()) {
            ((RoutingContextInternal) context).setBody(body);
            context.next();
          }
        });
    request.resume();
  }

  private static boolean isAnonymous(RoutingContext context) {
    return !(context.user() instanceof QuarkusHttpUser user)
        || user.getSecurityIdentity().isAnonymous();
  }

  private static long announced(String length) {
    try {
      return Long.parseLong(length.strip());
    } catch (NumberFormatException nonsense) {
      return Long.MAX_VALUE;
    }
  }

  private static void tooLarge(RoutingContext context, long most) {
    refuse(
        context,
        413,
        "too-large",
        "The body is larger than " + most / 1024 + " KiB.",
        most == MOST
            ? "Split it, and send it in parts."
            : "Sign in first: signed-in people may send more.");
  }

  private static void refuse(
      RoutingContext context, int status, String word, String detail, String remedy) {
    context
        .response()
        .setStatusCode(status)
        .putHeader("Content-Type", Problems.MEDIA_TYPE)
        .putHeader("Retry-After", "1")
        .putHeader("Connection", "close")
        .end(
            JsonObject.mapFrom(new Problem(status, word, title(status), detail, remedy).body())
                .encode())
        .onComplete(sent -> context.request().connection().close());
  }

  private static String title(int status) {
    return HttpResponseStatus.valueOf(status).reasonPhrase();
  }
}
