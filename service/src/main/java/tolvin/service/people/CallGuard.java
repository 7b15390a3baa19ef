package tolvin.service.people;

import io.quarkus.security.identity.SecurityIdentity;
import jakarta.annotation.Priority;
import jakarta.annotation.security.PermitAll;
import jakarta.ws.rs.Priorities;
import jakarta.ws.rs.container.ContainerRequestContext;
import jakarta.ws.rs.container.ContainerRequestFilter;
import jakarta.ws.rs.container.ResourceInfo;
import jakarta.ws.rs.core.Context;
import jakarta.ws.rs.ext.Provider;
import java.lang.annotation.Annotation;
import java.time.Duration;
import java.util.Optional;
import java.util.Set;
import tolvin.core.people.TokenScope;
import tolvin.core.word.Words;
import tolvin.service.problem.Problem;
import tolvin.service.store.ClockStore;
import tolvin.service.web.AsksForPassword;
import tolvin.service.web.Needs;

/** Holds calls against the scope of the token, and asks for the password where they want it. */
@Provider
@Priority(Priorities.AUTHORIZATION + 20)
public class CallGuard implements ContainerRequestFilter {
  /** For how long the password need not be given again. */
  static final Duration CONFIRMED = Duration.ofMinutes(10);

  private static final Set<String> LOOKING = Set.of("GET", "HEAD", "OPTIONS");

  private final SecurityIdentity caller;
  private final ClockStore clock;

  @Context ResourceInfo call;

  CallGuard(SecurityIdentity caller, ClockStore clock) {
    this.caller = caller;
    this.clock = clock;
  }

  @Override
  public void filter(ContainerRequestContext request) {
    Guest guest = Guest.of(caller).orElse(null);
    if (guest == null) {
      return; // who may call it at all is said by its roles
    }
    if (call.getResourceMethod().isAnnotationPresent(PermitAll.class)) {
      return; // anybody may, so a session beside makes no difference
    }
    boolean looks = LOOKING.contains(request.getMethod());
    TokenScope needed =
        on(Needs.class, !looks)
            .map(Needs::value)
            .orElse(looks ? TokenScope.READ : TokenScope.OPERATE);
    if (guest.scope() != null && !guest.scope().covers(needed)) {
      throw new Problem(
          403,
          "scope-too-small",
          "Not allowed with this token",
          "This token may "
              + Words.said(guest.scope())
              + "; this needs one that may "
              + Words.said(needed)
              + ".",
          "Make another one: tolvin token add NAME --scope " + Words.of(needed) + ".");
    }
    if (on(AsksForPassword.class, !looks).isPresent()
        && (guest.confirmedAt() == null
            || guest.confirmedAt().plus(CONFIRMED).isBefore(clock.now()))) {
      throw new Problem(
          403,
          "password-needed",
          "Password needed",
          "This asks for your password, and it was not given within the last ten minutes.",
          guest.session() == null
              ? "Sign in with your password; a token is not enough."
              : "Give your password, and try again.");
    }
  }

  private <A extends Annotation> Optional<A> on(Class<A> annotation, boolean ofClassToo) {
    A own = call.getResourceMethod().getAnnotation(annotation);
    return Optional.ofNullable(
        own != null || !ofClassToo ? own : call.getResourceClass().getAnnotation(annotation));
  }
}
