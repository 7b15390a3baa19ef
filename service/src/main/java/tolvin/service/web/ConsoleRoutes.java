package tolvin.service.web;

import io.vertx.ext.web.Router;
import io.vertx.ext.web.RoutingContext;
import jakarta.enterprise.context.ApplicationScoped;
import jakarta.enterprise.event.Observes;

/**
 * Lets the console's own addresses be loaded directly: each of its pages is the same document. What
 * looks like a file, and everything of the API, is left alone.
 */
@ApplicationScoped
public class ConsoleRoutes {
  private static final String PAGES =
      "/(today|keys|mine|intake|destinations|accounts|findings|hand-overs|rulebook|registrations|rotations|journal|people|me|join|sign-in)(/[^./]*)?/?";

  void add(@Observes Router router) {
    router.getWithRegex(PAGES).order(-10).handler(ConsoleRoutes::document);
  }

  private static void document(RoutingContext context) {
    context.reroute("/index.html");
  }
}
