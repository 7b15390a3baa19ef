package tolvin.service.people;

import io.vertx.core.http.HttpServerRequest;
import io.vertx.core.net.SocketAddress;

/** Where callers come from. */
final class Addresses {
  private Addresses() {}

  static String of(HttpServerRequest request) {
    SocketAddress from = request.remoteAddress();
    return from == null || from.hostAddress() == null ? "this machine" : from.hostAddress();
  }
}
