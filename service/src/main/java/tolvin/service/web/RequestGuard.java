package tolvin.service.web;

import jakarta.annotation.Priority;
import jakarta.ws.rs.Priorities;
import jakarta.ws.rs.container.ContainerRequestContext;
import jakarta.ws.rs.container.ContainerRequestFilter;
import jakarta.ws.rs.ext.Provider;
import java.io.ByteArrayInputStream;
import java.io.IOException;
import tolvin.core.key.PrivateHalf;

/**
 * Looks at every body before anything reads it: a private half in whatever field is refused before
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
    PrivateHalf.refuse(body)
        .ifPresent(
            refusal -> {
              throw new Problem(
                  422,
                  "private-half",
                  "Private half refused",
                  refusal.sentence(),
                  refusal.wayOut());
            });
    request.setEntityStream(new ByteArrayInputStream(body));
  }
}
