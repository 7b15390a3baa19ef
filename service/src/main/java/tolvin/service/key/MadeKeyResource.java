package tolvin.service.key;

import jakarta.annotation.security.RolesAllowed;
import jakarta.ws.rs.Consumes;
import jakarta.ws.rs.GET;
import jakarta.ws.rs.POST;
import jakarta.ws.rs.Path;
import jakarta.ws.rs.Produces;
import jakarta.ws.rs.core.MediaType;
import jakarta.ws.rs.core.Response;
import java.time.Instant;
import java.util.UUID;
import org.eclipse.microprofile.openapi.annotations.media.Content;
import org.eclipse.microprofile.openapi.annotations.responses.APIResponse;
import tolvin.service.destination.Access;
import tolvin.service.people.Role;

/** Keys made in the coffer. */
@Path("/api/v1/made-keys")
@RolesAllowed(Role.ADMINISTRATOR)
public class MadeKeyResource {
  private final MadeKeys made;

  MadeKeyResource(MadeKeys made) {
    this.made = made;
  }

  /**
   * A pair to be made.
   *
   * @param choice ed25519, rsa-3072, rsa-4096, ecdsa-p256, ecdsa-p384 or ecdsa-p521
   * @param comment absent for one by the installation's pattern
   */
  public record MadeKeyWish(UUID identityId, String choice, String comment) {}

  /** A pair that was made; its private half is in the coffer. */
  public record MadeKey(UUID id, String fingerprint, String line) {}

  /**
   * What the owner wants to have.
   *
   * @param passphrase what the private half is encrypted with
   * @param form openssh or pkcs8
   */
  public record DownloadWish(String passphrase, String form) {
    @Override
    public String toString() {
      return "DownloadWish[" + form + "]";
    }
  }

  /** Whether the private half left the coffer towards its owner. */
  public record DownloadView(Instant at, String by, String form) {}

  /** Makes a pair in the coffer. */
  @POST
  public MadeKey makeKey(MadeKeyWish wish) {
    KeyRow row = made.make(wish.identityId(), wish.choice(), wish.comment());
    return new MadeKey(row.id, row.fingerprint, Access.key(row.blob).line(row.comment));
  }

  /** Whether the private half was downloaded. */
  @GET
  @Path("{id}/download")
  @RolesAllowed({Role.ADMINISTRATOR, Role.SELF})
  public DownloadView showDownload(UUID id) {
    return made.download(id).map(d -> new DownloadView(d.at, d.byLogin, d.form)).orElse(null);
  }

  /** Gives the private half to its owner, encrypted with their passphrase; once. */
  @POST
  @Path("{id}/download")
  @RolesAllowed({Role.ADMINISTRATOR, Role.SELF})
  @Consumes(MediaType.APPLICATION_JSON)
  @Produces(MediaType.APPLICATION_OCTET_STREAM)
  @APIResponse(responseCode = "200", content = @Content(mediaType = "application/octet-stream"))
  public Response download(UUID id, DownloadWish wish) {
    char[] passphrase =
        wish == null || wish.passphrase() == null ? new char[0] : wish.passphrase().toCharArray();
    byte[] file = made.download(id, passphrase, wish == null ? null : wish.form());
    return Response.ok(file, MediaType.APPLICATION_OCTET_STREAM)
        .header("Content-Disposition", "attachment; filename=\"id_tolvin\"")
        .header("Cache-Control", "no-store")
        .build();
  }
}
