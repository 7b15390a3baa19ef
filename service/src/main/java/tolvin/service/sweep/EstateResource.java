package tolvin.service.sweep;

import jakarta.annotation.security.RolesAllowed;
import jakarta.ws.rs.POST;
import jakarta.ws.rs.Path;
import java.util.List;
import tolvin.api.sweep.EstateFilesRequest;
import tolvin.api.sweep.TakenView;
import tolvin.service.web.Role;

/** Taking over what is there already. */
@Path("/api/v1/estate")
@RolesAllowed(Role.ADMINISTRATOR)
public class EstateResource {
  private final Estates estates;

  EstateResource(Estates estates) {
    this.estates = estates;
  }

  /** Takes over files of keys; repeated, it adds nothing that is there already. */
  @POST
  @Path("files")
  public List<TakenView> takeOverFiles(EstateFilesRequest files) {
    return estates.take(files);
  }
}
