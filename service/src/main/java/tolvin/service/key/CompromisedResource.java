package tolvin.service.key;

import jakarta.annotation.security.RolesAllowed;
import jakarta.ws.rs.Consumes;
import jakarta.ws.rs.DELETE;
import jakarta.ws.rs.GET;
import jakarta.ws.rs.POST;
import jakarta.ws.rs.Path;
import jakarta.ws.rs.QueryParam;
import jakarta.ws.rs.core.MediaType;
import java.util.List;
import java.util.UUID;
import tolvin.api.Page;
import tolvin.api.key.CompromisedListView;
import tolvin.core.people.TokenScope;
import tolvin.service.record.key.CompromisedRow;
import tolvin.service.web.Needs;
import tolvin.service.web.Role;

/** Lists of compromised keys. */
@Path("/api/v1/compromised-lists")
@RolesAllowed(Role.ADMINISTRATOR)
public class CompromisedResource {
  private final Compromised compromised;

  CompromisedResource(Compromised compromised) {
    this.compromised = compromised;
  }

  /** The lists in force. */
  @GET
  public Page<CompromisedListView> listCompromisedLists() {
    return new Page<>(
        compromised.lists().stream()
            .map(l -> new CompromisedListView(l.id, l.name, l.entries, l.loadedAt, null, List.of()))
            .toList(),
        null);
  }

  /** Loads a list, or more of it: fingerprints or keys one on a line, or a revocation list. */
  @POST
  @Needs(TokenScope.ADMINISTER)
  @Consumes(MediaType.APPLICATION_OCTET_STREAM)
  public CompromisedListView addCompromisedList(@QueryParam("name") String name, byte[] content) {
    Compromised.Loaded loaded = compromised.load(name, content == null ? new byte[0] : content);
    CompromisedRow l = loaded.row();
    return new CompromisedListView(
        l.id, l.name, l.entries, l.loadedAt, loaded.known(), loaded.notes());
  }

  /** Takes a list out of force; what it alone said against keys is forgotten. */
  @DELETE
  @Needs(TokenScope.ADMINISTER)
  @Path("{id}")
  public void removeCompromisedList(UUID id) {
    compromised.remove(id);
  }
}
