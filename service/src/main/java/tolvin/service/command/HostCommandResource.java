package tolvin.service.command;

import jakarta.annotation.security.RolesAllowed;
import jakarta.ws.rs.DELETE;
import jakarta.ws.rs.GET;
import jakarta.ws.rs.POST;
import jakarta.ws.rs.Path;
import java.util.UUID;
import tolvin.api.Page;
import tolvin.api.command.HostCommandRequest;
import tolvin.api.command.HostCommandView;
import tolvin.core.people.TokenScope;
import tolvin.service.web.AsksForPassword;
import tolvin.service.web.Needs;
import tolvin.service.web.Role;

/** The commands that may be run on hosts. */
@Path("/api/v1/host-commands")
@RolesAllowed(Role.ADMINISTRATOR)
@Needs(TokenScope.ADMINISTER)
public class HostCommandResource {
  private final HostCommands commands;

  HostCommandResource(HostCommands commands) {
    this.commands = commands;
  }

  /** The commands that may be run. */
  @GET
  public Page<HostCommandView> listHostCommands() {
    return new Page<>(commands.inForce(), null);
  }

  /** Approves a command, word by word. */
  @POST
  @AsksForPassword
  public HostCommandView addHostCommand(HostCommandRequest request) {
    return commands.approve(request);
  }

  /** Takes an approval back. */
  @DELETE
  @Path("{id}")
  public void removeHostCommand(UUID id) {
    commands.withdraw(id);
  }
}
