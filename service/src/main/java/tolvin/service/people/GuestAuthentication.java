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
import tolvin.core.word.Words;
import tolvin.service.journal.Journal;

/** Knows a caller by the console's cookie or by a bearer token. */
@ApplicationScoped
public class GuestAuthentication implements HttpAuthenticationMechanism {
  private static final String COOKIE = "tolvin_session";

  /** The header of a page that renews itself while nobody is at it. */
  private static final String UNATTENDED = "X-Tolvin-Unattended";

  private static final String BEARER = "Bearer ";

  /** What a caller showed. */
  public static final class Shown extends BaseAuthenticationRequest {
    final String secret;
    final boolean isToken;
    final boolean isUsed;

    Shown(String secret, boolean isToken, boolean isUsed) {
      this.secret = secret;
      this.isToken = isToken;
      this.isUsed = isUsed;
    }
  }

  /** The console's cookie; behind TLS no other host and no page without TLS can set it. */
  static String cookie(boolean isSecure) {
    return (isSecure ? "__Host-" : "") + COOKIE;
  }

  @Override
  public Uni<SecurityIdentity> authenticate(
      RoutingContext context, IdentityProviderManager providers) {
    String header = context.request().getHeader("Authorization");
    if (header != null && header.startsWith(BEARER)) {
      return providers.authenticate(
          new Shown(header.substring(BEARER.length()).strip(), true, true));
    }
    String name = cookie(context.request().isSSL());
    Cookie cookie = context.request().getCookie(name);
    if (cookie == null || cookie.getValue().isBlank()) {
      return Uni.createFrom().nullItem();
    }
    return providers
        .authenticate(
            new Shown(cookie.getValue(), false, context.request().getHeader(UNATTENDED) == null))
        .onFailure(AuthenticationFailedException.class)
        .recoverWithUni(
            () -> {
              // a session that ended must not keep anybody from the pages that need none
              context.response().removeCookie(name, true);
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
    private final Sessions sessions;
    private final Tokens tokens;

    Lookup(Sessions sessions, Tokens tokens) {
      this.sessions = sessions;
      this.tokens = tokens;
    }

    @Override
    public Class<Shown> getRequestType() {
      return Shown.class;
    }

    @Override
    public Uni<SecurityIdentity> authenticate(Shown shown, AuthenticationRequestContext context) {
      return context.runBlocking(
          () -> {
            Optional<Guest> guest =
                shown.isToken
                    ? tokens.bySecret(shown.secret)
                    : sessions.bySecret(shown.secret, shown.isUsed);
            return guest.map(Lookup::identity).orElse(null);
          });
    }

    private static SecurityIdentity identity(Guest guest) {
      return QuarkusSecurityIdentity.builder()
          .setPrincipal(new QuarkusPrincipal(guest.login()))
          .addRole(Words.of(guest.role()))
          .addAttribute(Journal.NAME, guest.name())
          .addAttribute(Guest.ATTRIBUTE, guest)
          .build();
    }
  }
}
