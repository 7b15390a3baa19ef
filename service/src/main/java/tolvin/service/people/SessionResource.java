package tolvin.service.people;

import io.quarkus.security.identity.SecurityIdentity;
import io.vertx.core.http.HttpServerRequest;
import jakarta.annotation.security.PermitAll;
import jakarta.annotation.security.RolesAllowed;
import jakarta.ws.rs.DELETE;
import jakarta.ws.rs.GET;
import jakarta.ws.rs.POST;
import jakarta.ws.rs.PUT;
import jakarta.ws.rs.Path;
import jakarta.ws.rs.core.Context;
import jakarta.ws.rs.core.MediaType;
import jakarta.ws.rs.core.NewCookie;
import jakarta.ws.rs.core.Response;
import java.util.UUID;
import org.eclipse.microprofile.openapi.annotations.media.Content;
import org.eclipse.microprofile.openapi.annotations.media.Schema;
import org.eclipse.microprofile.openapi.annotations.responses.APIResponse;
import tolvin.api.Page;
import tolvin.api.people.ConfirmationOfSelf;
import tolvin.api.people.OpenSessionView;
import tolvin.api.people.PasswordRequest;
import tolvin.api.people.SessionView;
import tolvin.api.people.SignInRequest;
import tolvin.service.web.Addresses;
import tolvin.service.web.Role;

/** Sessions of the console: the caller's own, and those that go on. */
@Path("/api/v1")
public class SessionResource {
  private final Sessions sessions;
  private final SecurityIdentity caller;
  private final OldSecrets oldSecrets;

  SessionResource(Sessions sessions, SecurityIdentity caller, OldSecrets oldSecrets) {
    this.sessions = sessions;
    this.caller = caller;
    this.oldSecrets = oldSecrets;
  }

  /** Signs in. */
  @POST
  @Path("session")
  @PermitAll
  @APIResponse(
      responseCode = "200",
      content =
          @Content(
              mediaType = MediaType.APPLICATION_JSON,
              schema = @Schema(implementation = SessionView.class)))
  public Response signIn(SignInRequest given, @Context HttpServerRequest request) {
    Sessions.Begun begun =
        sessions.signIn(
            String.valueOf(given.login()), String.valueOf(given.password()), Addresses.of(request));
    return Response.ok(view(begun.guest()))
        .cookie(cookie(begun.secret(), (int) begun.length().toSeconds(), request))
        .build();
  }

  /** Who is signed in. */
  @GET
  @Path("session")
  @RolesAllowed({Role.ADMINISTRATOR, Role.SELF})
  public SessionView showSession() {
    return view(guest());
  }

  /** Takes the caller's password once more, for what asks for it within the next ten minutes. */
  @POST
  @Path("session/confirmation")
  @RolesAllowed({Role.ADMINISTRATOR, Role.SELF})
  public void confirmSession(ConfirmationOfSelf given, @Context HttpServerRequest request) {
    sessions.confirm(guest(), String.valueOf(given.password()), Addresses.of(request));
  }

  /** Changes the caller's password; their other sessions end. */
  @PUT
  @Path("session/password")
  @RolesAllowed({Role.ADMINISTRATOR, Role.SELF})
  public void changePassword(PasswordRequest given, @Context HttpServerRequest request) {
    sessions.changePassword(
        guest(), String.valueOf(given.password()), given.next(), Addresses.of(request));
  }

  /** Signs out. */
  @DELETE
  @Path("session")
  @RolesAllowed({Role.ADMINISTRATOR, Role.SELF})
  public Response signOut(@Context HttpServerRequest request) {
    if (guest().session() != null) {
      sessions.signOut(guest());
    }
    return Response.noContent().cookie(cookie("", 0, request)).build();
  }

  /** The sessions that go on: everybody's for an administrator, others see their own. */
  @GET
  @Path("sessions")
  @RolesAllowed({Role.ADMINISTRATOR, Role.SELF})
  public Page<OpenSessionView> listSessions() {
    return new Page<>(sessions.goingOn(guest().onlyOf(), guest().session()), null);
  }

  /** Ends a session. */
  @DELETE
  @Path("sessions/{id}")
  @RolesAllowed({Role.ADMINISTRATOR, Role.SELF})
  public void endSession(UUID id) {
    sessions.end(id, guest().onlyOf());
  }

  private Guest guest() {
    return Guest.of(caller).orElseThrow(); // the roles of the calls demand it
  }

  private SessionView view(Guest guest) {
    return new SessionView(
        guest.login(),
        guest.name(),
        guest.role(),
        guest.identity(),
        guest.csrf(),
        guest.openedAt(),
        guest.openedBy(),
        oldSecrets.from(guest).orElse(null));
  }

  /** Behind TLS the cookie is bound to this very host, and never sent without TLS. */
  private static NewCookie cookie(String value, int age, HttpServerRequest request) {
    return new NewCookie.Builder(GuestAuthentication.cookie(request.isSSL()))
        .value(value)
        .path("/")
        .httpOnly(true)
        .secure(request.isSSL())
        .sameSite(NewCookie.SameSite.STRICT)
        .maxAge(age)
        .build();
  }
}
