package tolvin.service.web;

import jakarta.annotation.Priority;
import jakarta.ws.rs.Priorities;
import jakarta.ws.rs.container.ContainerRequestContext;
import jakarta.ws.rs.container.ContainerRequestFilter;
import jakarta.ws.rs.core.MediaType;
import jakarta.ws.rs.core.Response;
import jakarta.ws.rs.ext.Provider;
import java.io.ByteArrayInputStream;
import java.io.IOException;
import tolvin.core.key.PrivateKeyText;
import tolvin.core.key.Refusal;
import tolvin.service.problem.Problem;

/**
 * Looks at every body before anything reads it: a private key in whatever field is refused before
 * it is parsed, stored, logged or echoed.
 */
@Provider
@Priority(Priorities.ENTITY_CODER - 1000)
public class RequestGuard implements ContainerRequestFilter {
  @Override
  public void filter(ContainerRequestContext request) throws IOException {
    if (!request.hasEntity()) {
      return;
    }
    byte[] body = request.getEntityStream().readAllBytes();
    PrivateKeyText.refuse(body)
        .ifPresent(
            refusal -> {
              if (request.getUriInfo().getPath().startsWith("/reply/")) {
                request.abortWith(page(refusal));
                return;
              }
              throw new Problem(
                  422, "private-key", "Private key refused", refusal.sentence(), refusal.remedy());
            });
    request.setEntityStream(new ByteArrayInputStream(body));
  }

  /** The same for people who only ever see a page. */
  private static Response page(Refusal refusal) {
    return Response.status(422)
        .type(MediaType.TEXT_HTML_TYPE)
        .entity(
            "<!doctype html><html lang=\"en\"><title>Refused</title><p><strong>"
                + refusal.sentence()
                + "</strong></p><p>"
                + refusal.remedy()
                + "</p><p>Go back to reply; the link is still good.</p></html>")
        .build();
  }
}
