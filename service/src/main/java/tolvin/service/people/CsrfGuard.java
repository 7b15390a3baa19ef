package tolvin.service.people;

import io.quarkus.security.identity.SecurityIdentity;
import jakarta.annotation.Priority;
import jakarta.ws.rs.Priorities;
import jakarta.ws.rs.container.ContainerRequestContext;
import jakarta.ws.rs.container.ContainerRequestFilter;
import jakarta.ws.rs.ext.Provider;
import java.nio.charset.StandardCharsets;
import java.security.MessageDigest;
import java.util.Set;
import tolvin.service.problem.Problem;

/** A change asked for with the console's cookie must carry the session's own header as well. */
@Provider
@Priority(Priorities.AUTHORIZATION + 10)
public class CsrfGuard implements ContainerRequestFilter {
  private static final String REPLY = "/reply/";
  private static final Set<String> HARMLESS = Set.of("GET", "HEAD", "OPTIONS");

  private final SecurityIdentity caller;

  CsrfGuard(SecurityIdentity caller) {
    this.caller = caller;
  }

  @Override
  public void filter(ContainerRequestContext request) {
    Guest guest = Guest.of(caller).orElse(null);
    if (guest == null || guest.csrf() == null || HARMLESS.contains(request.getMethod())) {
      return;
    }
    if (request.getUriInfo().getPath().startsWith(REPLY)) {
      return; // its link is the secret, whoever is signed in beside
    }
    String shown = String.valueOf(request.getHeaderString("X-Tolvin-Csrf"));
    if (!MessageDigest.isEqual(
        shown.getBytes(StandardCharsets.UTF_8), guest.csrf().getBytes(StandardCharsets.UTF_8))) {
      throw new Problem(
          403,
          "foreign-form",
          "Request refused",
          "The request does not come from the console's own pages.",
          "Load the console again.");
    }
  }
}
