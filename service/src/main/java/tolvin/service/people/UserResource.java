package tolvin.service.people;

import io.vertx.core.http.HttpServerRequest;
import jakarta.annotation.security.PermitAll;
import jakarta.annotation.security.RolesAllowed;
import jakarta.ws.rs.DELETE;
import jakarta.ws.rs.GET;
import jakarta.ws.rs.PATCH;
import jakarta.ws.rs.POST;
import jakarta.ws.rs.Path;
import jakarta.ws.rs.core.Context;
import java.util.UUID;
import tolvin.api.Page;
import tolvin.api.people.InvitationView;
import tolvin.api.people.JoinRequest;
import tolvin.api.people.JoinedView;
import tolvin.api.people.UserChangeRequest;
import tolvin.api.people.UserRequest;
import tolvin.api.people.UserView;
import tolvin.core.people.TokenScope;
import tolvin.service.web.Addresses;
import tolvin.service.web.AsksForPassword;
import tolvin.service.web.Needs;
import tolvin.service.web.Role;

/** Users. */
@Path("/api/v1/users")
@RolesAllowed(Role.ADMINISTRATOR)
@Needs(TokenScope.ADMINISTER)
@AsksForPassword
public class UserResource {
  private final Users users;

  UserResource(Users users) {
    this.users = users;
  }

  /** The users. */
  @GET
  public Page<UserView> listUsers() {
    return new Page<>(users.everyone(), null);
  }

  /** Adds a user, and makes the link with which they choose a password; it is shown this once. */
  @POST
  public InvitationView addUser(UserRequest request) {
    return users.invite(request);
  }

  /** Makes a new link for a user who has none, or who forgot their password. */
  @POST
  @Path("{id}/link")
  public InvitationView linkUser(UUID id) {
    return users.link(id);
  }

  /** Lets the holder of a link choose a password. */
  @POST
  @Path("join")
  @PermitAll
  public JoinedView join(JoinRequest request, @Context HttpServerRequest http) {
    return users.join(request.link(), request.password(), Addresses.of(http));
  }

  /** Changes a user's name, role or state. */
  @PATCH
  @Path("{id}")
  public UserView changeUser(UUID id, UserChangeRequest change) {
    return users.change(id, change);
  }

  /** Removes a user. */
  @DELETE
  @Path("{id}")
  public void removeUser(UUID id) {
    users.remove(id);
  }
}
