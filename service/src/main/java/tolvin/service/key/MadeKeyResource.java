package tolvin.service.key;

import jakarta.annotation.security.RolesAllowed;
import jakarta.ws.rs.Consumes;
import jakarta.ws.rs.GET;
import jakarta.ws.rs.POST;
import jakarta.ws.rs.Path;
import jakarta.ws.rs.Produces;
import jakarta.ws.rs.core.MediaType;
import jakarta.ws.rs.core.Response;
import java.util.List;
import java.util.UUID;
import java.util.stream.Stream;
import org.eclipse.microprofile.openapi.annotations.media.Content;
import org.eclipse.microprofile.openapi.annotations.responses.APIResponse;
import tolvin.api.key.DownloadRequest;
import tolvin.api.key.DownloadView;
import tolvin.api.key.MadeKeyRequest;
import tolvin.api.key.MadeKeyView;
import tolvin.api.key.PrivateFormView;
import tolvin.core.give.ClientProgram;
import tolvin.core.key.KeyType;
import tolvin.core.pair.PrivateForm;
import tolvin.service.destination.Access;
import tolvin.service.record.key.KeyRow;
import tolvin.service.web.AsksForPassword;
import tolvin.service.web.Role;

/** Keys made in the coffer. */
@Path("/api/v1/made-keys")
@RolesAllowed(Role.ADMINISTRATOR)
public class MadeKeyResource {
  private final MadeKeys made;

  MadeKeyResource(MadeKeys made) {
    this.made = made;
  }

  /** Makes a pair in the coffer. */
  @POST
  public MadeKeyView makeKey(MadeKeyRequest request) {
    KeyRow row = made.make(request.identityId(), request.choice(), request.comment());
    return new MadeKeyView(row.id, row.fingerprint, Access.key(row.blob).line(row.comment));
  }

  /** Whether the private key was downloaded. */
  @GET
  @Path("{id}/download")
  @RolesAllowed({Role.ADMINISTRATOR, Role.SELF})
  public DownloadView showDownload(UUID id) {
    return made.download(id).map(d -> new DownloadView(d.at, d.byLogin, d.form)).orElse(null);
  }

  /** The forms that its private key can be taken in, and who reads them. */
  @GET
  @Path("{id}/forms")
  @RolesAllowed({Role.ADMINISTRATOR, Role.SELF})
  public List<PrivateFormView> listPrivateForms(UUID id) {
    KeyType type = made.typeOf(id);
    return Stream.of(PrivateForm.values())
        .filter(form -> form.fits(type))
        .map(form -> view(form, type))
        .toList();
  }

  private static PrivateFormView view(PrivateForm form, KeyType type) {
    boolean isConverted = form == PrivateForm.OPENSSH;
    return new PrivateFormView(
        form,
        form.title(),
        Stream.of(ClientProgram.values())
            .filter(program -> program.reads(form, type))
            .map(ClientProgram::title)
            .toList(),
        Stream.of(ClientProgram.values())
            .filter(program -> isConverted && program.converts().isPresent())
            .map(program -> program.title() + ": " + program.converts().get())
            .toList());
  }

  /** Gives the private key to its owner, encrypted with their passphrase; once. */
  @POST
  @AsksForPassword
  @Path("{id}/download")
  @RolesAllowed({Role.ADMINISTRATOR, Role.SELF})
  @Consumes(MediaType.APPLICATION_JSON)
  @Produces(MediaType.APPLICATION_OCTET_STREAM)
  @APIResponse(responseCode = "200", content = @Content(mediaType = "application/octet-stream"))
  public Response download(UUID id, DownloadRequest request) {
    char[] passphrase =
        request.passphrase() == null ? new char[0] : request.passphrase().toCharArray();
    byte[] file = made.download(id, passphrase, request.form());
    return Response.ok(file, MediaType.APPLICATION_OCTET_STREAM)
        .header("Content-Disposition", "attachment; filename=\"id_tolvin\"")
        .build();
  }
}
