package tolvin.service.people;

import io.quarkus.security.identity.SecurityIdentity;
import io.vertx.core.http.HttpServerRequest;
import io.vertx.core.net.SocketAddress;
import jakarta.annotation.security.PermitAll;
import jakarta.annotation.security.RolesAllowed;
import jakarta.ws.rs.DELETE;
import jakarta.ws.rs.GET;
import jakarta.ws.rs.POST;
import jakarta.ws.rs.Path;
import jakarta.ws.rs.core.Context;
import jakarta.ws.rs.core.MediaType;
import jakarta.ws.rs.core.NewCookie;
import jakarta.ws.rs.core.Response;
import org.eclipse.microprofile.openapi.annotations.media.Content;
import org.eclipse.microprofile.openapi.annotations.media.Schema;
import org.eclipse.microprofile.openapi.annotations.responses.APIResponse;
import tolvin.api.people.SessionView;
import tolvin.api.people.SignInRequest;
import tolvin.service.web.Role;

/** The console's session. */
@Path("/api/v1/session")
public class SessionResource {
  private final People people;
  private final SecurityIdentity caller;

  SessionResource(People people, SecurityIdentity caller) {
    this.people = people;
    this.caller = caller;
  }

  /** Signs in. */
  @POST
  @PermitAll
  @APIResponse(
      responseCode = "200",
      content =
          @Content(
              mediaType = MediaType.APPLICATION_JSON,
              schema = @Schema(implementation = SessionView.class)))
  public Response signIn(SignInRequest body, @Context HttpServerRequest request) {
    SignInRequest given = body == null ? new SignInRequest("", "") : body;
    SocketAddress from = request.remoteAddress();
    People.Begun begun =
        people.signIn(
            String.valueOf(given.login()),
            String.valueOf(given.password()),
            from == null || from.hostAddress() == null ? "this machine" : from.hostAddress());
    return Response.ok(view(begun.guest()))
        .cookie(cookie(begun.token(), (int) begun.length().toSeconds()))
        .build();
  }

  /** Who is signed in. */
  @GET
  @RolesAllowed({Role.ADMINISTRATOR, Role.SELF})
  public SessionView showSession() {
    return view(caller.getAttribute(GuestAuthentication.GUEST));
  }

  /** Signs out. */
  @DELETE
  @RolesAllowed({Role.ADMINISTRATOR, Role.SELF})
  public Response signOut() {
    People.Guest guest = caller.getAttribute(GuestAuthentication.GUEST);
    if (guest.session() != null) {
      people.signOut(guest.session());
    }
    return Response.noContent().cookie(cookie("", 0)).build();
  }

  private static SessionView view(People.Guest guest) {
    return new SessionView(
        guest.login(), guest.name(), guest.role(), guest.identity(), guest.csrf());
  }

  private static NewCookie cookie(String value, int age) {
    return new NewCookie.Builder(GuestAuthentication.COOKIE)
        .value(value)
        .path("/")
        .httpOnly(true)
        .sameSite(NewCookie.SameSite.STRICT)
        .maxAge(age)
        .build();
  }
}
