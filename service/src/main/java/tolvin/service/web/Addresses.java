package tolvin.service.web;

import io.vertx.core.http.HttpServerRequest;
import io.vertx.core.net.SocketAddress;

/** Where callers come from. */
public final class Addresses {
  private Addresses() {}

  /** The address of who sends a request, behind a trusted proxy that of whom it speaks for. */
  public static String of(HttpServerRequest request) {
    SocketAddress from = request.remoteAddress();
    return from == null || from.hostAddress() == null ? "this machine" : from.hostAddress();
  }
}
