package tolvin.service.identity;

import jakarta.annotation.security.RolesAllowed;
import jakarta.transaction.Transactional;
import jakarta.ws.rs.DefaultValue;
import jakarta.ws.rs.GET;
import jakarta.ws.rs.POST;
import jakarta.ws.rs.Path;
import jakarta.ws.rs.QueryParam;
import java.util.UUID;
import tolvin.api.Page;
import tolvin.api.identity.IdentityRequest;
import tolvin.api.identity.IdentityView;
import tolvin.service.record.identity.IdentityRow;
import tolvin.service.record.identity.IdentityStore;
import tolvin.service.web.Role;

/** Identities. */
@Path("/api/v1/identities")
@RolesAllowed(Role.ADMINISTRATOR)
public class IdentityResource {
  private final IdentityStore store;
  private final Identities identities;

  IdentityResource(IdentityStore store, Identities identities) {
    this.store = store;
    this.identities = identities;
  }

  /** Identities in force, the newest first. */
  @GET
  @Transactional
  public Page<IdentityView> listIdentities(
      @QueryParam("search") @DefaultValue("") String search,
      @QueryParam("after") UUID after,
      @QueryParam("limit") @DefaultValue("50") int limit) {
    return store.page(search, after, limit).map(IdentityResource::view);
  }

  /** One identity. */
  @GET
  @Path("{id}")
  @Transactional
  public IdentityView showIdentity(UUID id) {
    return view(store.get(id));
  }

  /** Adds an identity. */
  @POST
  @Transactional
  public IdentityView addIdentity(IdentityRequest request) {
    return view(identities.add(request));
  }

  private static IdentityView view(IdentityRow row) {
    return new IdentityView(row.id, row.kind, row.name, row.team, row.responsible, row.validFrom);
  }
}
