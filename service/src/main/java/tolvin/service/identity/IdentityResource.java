package tolvin.service.identity;

import jakarta.annotation.security.RolesAllowed;
import jakarta.transaction.Transactional;
import jakarta.ws.rs.DefaultValue;
import jakarta.ws.rs.GET;
import jakarta.ws.rs.POST;
import jakarta.ws.rs.Path;
import jakarta.ws.rs.QueryParam;
import java.time.Instant;
import java.util.UUID;
import tolvin.service.people.Role;
import tolvin.service.web.Page;

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

  /**
   * An identity to add.
   *
   * @param kind person or service_account
   */
  public record IdentityWish(String kind, String name, String team, String responsible) {}

  /** An identity as it is shown. */
  public record Identity(
      UUID id, String kind, String name, String team, String responsible, Instant validFrom) {}

  /** Identities in force, the newest first. */
  @GET
  @Transactional
  public Page<Identity> listIdentities(
      @QueryParam("search") @DefaultValue("") String search,
      @QueryParam("after") UUID after,
      @QueryParam("limit") @DefaultValue("50") int limit) {
    return store.page(search, after, limit).map(IdentityResource::view);
  }

  /** One identity. */
  @GET
  @Path("{id}")
  @Transactional
  public Identity showIdentity(UUID id) {
    return view(store.get(id));
  }

  /** Adds an identity. */
  @POST
  @Transactional
  public Identity addIdentity(IdentityWish wish) {
    return view(identities.add(wish));
  }

  private static Identity view(IdentityRow row) {
    return new Identity(row.id, row.kind, row.name, row.team, row.responsible, row.validFrom);
  }
}
