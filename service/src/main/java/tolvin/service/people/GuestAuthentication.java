package tolvin.service.people;

import io.quarkus.security.AuthenticationFailedException;
import io.quarkus.security.identity.AuthenticationRequestContext;
import io.quarkus.security.identity.IdentityProvider;
import io.quarkus.security.identity.IdentityProviderManager;
import io.quarkus.security.identity.SecurityIdentity;
import io.quarkus.security.identity.request.AuthenticationRequest;
import io.quarkus.security.identity.request.BaseAuthenticationRequest;
import io.quarkus.security.runtime.QuarkusPrincipal;
import io.quarkus.security.runtime.QuarkusSecurityIdentity;
import io.quarkus.vertx.http.runtime.security.ChallengeData;
import io.quarkus.vertx.http.runtime.security.HttpAuthenticationMechanism;
import io.smallrye.mutiny.Uni;
import io.vertx.core.http.Cookie;
import io.vertx.ext.web.RoutingContext;
import jakarta.enterprise.context.ApplicationScoped;
import java.util.Optional;
import java.util.Set;

/** Knows a caller by the console's cookie or by a bearer token. */
@ApplicationScoped
public class GuestAuthentication implements HttpAuthenticationMechanism {
  /** The console's cookie. */
  public static final String COOKIE = "tolvin_session";

  /** The attribute that holds the {@link People.Guest}. */
  public static final String GUEST = "guest";

  private static final String BEARER = "Bearer ";

  /** What a caller showed. */
  public static final class Shown extends BaseAuthenticationRequest {
    final String secret;
    final boolean isToken;

    Shown(String secret, boolean isToken) {
      this.secret = secret;
      this.isToken = isToken;
    }
  }

  @Override
  public Uni<SecurityIdentity> authenticate(
      RoutingContext context, IdentityProviderManager providers) {
    String header = context.request().getHeader("Authorization");
    if (header != null && header.startsWith(BEARER)) {
      return providers.authenticate(new Shown(header.substring(BEARER.length()).strip(), true));
    }
    Cookie cookie = context.request().getCookie(COOKIE);
    if (cookie == null || cookie.getValue().isBlank()) {
      return Uni.createFrom().nullItem();
    }
    return providers
        .authenticate(new Shown(cookie.getValue(), false))
        .onFailure(AuthenticationFailedException.class)
        .recoverWithUni(
            () -> {
              // a session that ended must not keep anybody from the pages that need none
              context.response().removeCookie(COOKIE, true);
              return Uni.createFrom().nullItem();
            });
  }

  @Override
  public Uni<ChallengeData> getChallenge(RoutingContext context) {
    return Uni.createFrom().item(new ChallengeData(401, "WWW-Authenticate", "Bearer"));
  }

  @Override
  public Set<Class<? extends AuthenticationRequest>> getCredentialTypes() {
    return Set.of(Shown.class);
  }

  /** Looks up whom a shown secret belongs to; somebody unknown stays anonymous. */
  @ApplicationScoped
  public static class Lookup implements IdentityProvider<Shown> {
    private final People people;

    Lookup(People people) {
      this.people = people;
    }

    @Override
    public Class<Shown> getRequestType() {
      return Shown.class;
    }

    @Override
    public Uni<SecurityIdentity> authenticate(Shown shown, AuthenticationRequestContext context) {
      return context.runBlocking(
          () -> {
            Optional<People.Guest> guest =
                shown.isToken ? people.byToken(shown.secret) : people.bySession(shown.secret);
            return guest.map(Lookup::identity).orElse(null);
          });
    }

    private static SecurityIdentity identity(People.Guest guest) {
      return QuarkusSecurityIdentity.builder()
          .setPrincipal(new QuarkusPrincipal(guest.login()))
          .addRole(guest.role())
          .addAttribute(GUEST, guest)
          .build();
    }
  }
}
