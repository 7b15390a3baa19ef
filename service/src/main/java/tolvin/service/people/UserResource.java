package tolvin.service.people;

import jakarta.annotation.security.RolesAllowed;
import jakarta.ws.rs.GET;
import jakarta.ws.rs.POST;
import jakarta.ws.rs.Path;
import tolvin.api.Page;
import tolvin.api.people.NewUserView;
import tolvin.api.people.UserRequest;
import tolvin.api.people.UserView;
import tolvin.service.web.Role;

/** Users. */
@Path("/api/v1/users")
@RolesAllowed(Role.ADMINISTRATOR)
public class UserResource {
  private final People people;

  UserResource(People people) {
    this.people = people;
  }

  /** The users. */
  @GET
  public Page<UserView> listUsers() {
    return new Page<>(people.users(), null);
  }

  /** Adds a user for a person. */
  @POST
  public NewUserView addUser(UserRequest request) {
    return people.addPerson(request);
  }
}
