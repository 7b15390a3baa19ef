package tolvin.service.people;

import jakarta.annotation.security.RolesAllowed;
import jakarta.ws.rs.GET;
import jakarta.ws.rs.POST;
import jakarta.ws.rs.Path;
import java.util.UUID;
import tolvin.service.web.Page;

/** Users. */
@Path("/api/v1/users")
@RolesAllowed(Role.ADMINISTRATOR)
public class UserResource {
  private final People people;

  UserResource(People people) {
    this.people = people;
  }

  /**
   * A user to add, who sees and proves what belongs to their identity.
   *
   * @param identityId their identity
   */
  public record UserWish(String login, String name, UUID identityId) {}

  /** A user just added; the password is shown this once. */
  public record NewUser(UUID id, String login, String password) {}

  /** The users. */
  @GET
  public Page<People.UserView> listUsers() {
    return new Page<>(people.users(), null);
  }

  /** Adds a user for a person. */
  @POST
  public NewUser addUser(UserWish wish) {
    return people.addPerson(wish);
  }
}
