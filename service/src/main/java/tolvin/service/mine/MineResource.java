package tolvin.service.mine;

import jakarta.annotation.security.RolesAllowed;
import jakarta.ws.rs.GET;
import jakarta.ws.rs.POST;
import jakarta.ws.rs.Path;
import java.time.Instant;
import java.util.List;
import java.util.UUID;
import tolvin.service.people.Role;

/** The caller's own keys and accounts. */
@Path("/api/v1/mine")
@RolesAllowed({Role.ADMINISTRATOR, Role.SELF})
public class MineResource {
  private final Mine mine;

  MineResource(Mine mine) {
    this.mine = mine;
  }

  /** Where one of the keys stands. */
  public record OwnPlacement(
      UUID id, UUID accountId, String account, String state, String reason) {}

  /**
   * One of the caller's keys, or of a service account that they answer for.
   *
   * @param proven possession, hardware, or both; empty if nothing was
   * @param verified whether the device verified the person
   * @param copied whether its counter went back, so that somebody may have a copy
   * @param downloadable whether its private half may still be downloaded
   * @param downloadedAt when it was
   */
  public record OwnKey(
      UUID id,
      String identity,
      String fingerprint,
      String type,
      String comment,
      String custody,
      Instant registeredAt,
      List<String> proven,
      boolean verified,
      boolean copied,
      boolean downloadable,
      Instant downloadedAt,
      List<OwnPlacement> placements,
      Instant triedAt) {}

  /** One of the caller's accounts. */
  public record OwnAccount(UUID id, String account, String signInMode) {}

  /** All that is the caller's. */
  public record Own(
      UUID identityId, String identity, List<OwnKey> keys, List<OwnAccount> accounts) {}

  /** One's own key on one's own account. */
  public record OwnPlacementWish(UUID keyId, UUID accountId, String title) {}

  /** The caller's keys and accounts. */
  @GET
  public Own showMine() {
    return mine.of();
  }

  /** Places one's own proven key on one's own account. */
  @POST
  @Path("placements")
  public OwnPlacement addMine(OwnPlacementWish wish) {
    return mine.place(wish);
  }
}
