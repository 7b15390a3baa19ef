package tolvin.service.intake;

import jakarta.annotation.security.RolesAllowed;
import jakarta.transaction.Transactional;
import jakarta.ws.rs.Consumes;
import jakarta.ws.rs.POST;
import jakarta.ws.rs.Path;
import jakarta.ws.rs.QueryParam;
import jakarta.ws.rs.core.MediaType;
import java.time.Instant;
import java.util.List;
import java.util.UUID;
import tolvin.service.people.Role;
import tolvin.service.rulebook.VerdictView;

/** The intake of keys. */
@Path("/api/v1/intake")
@RolesAllowed(Role.ADMINISTRATOR)
public class IntakeResource {
  private final Intakes intakes;

  IntakeResource(Intakes intakes) {
    this.intakes = intakes;
  }

  /** What was put right on the way in. */
  public record MendingView(String word, String sentence) {}

  /** One reading of a piece that has several; the line is to be taken in again. */
  public record ChoiceView(String label, String line) {}

  /** Why a piece is no key; position is the offset in the piece, absent if it has none. */
  public record RefusalView(String reason, String sentence, String wayOut, Integer position) {}

  /** A key that was read. */
  public record ReadKey(
      String fingerprint,
      String md5,
      String type,
      int bits,
      String application,
      String comment,
      String options,
      String line) {}

  /** An OpenSSH certificate, whole; it is shown and never registered. */
  public record CertificateView(
      String type,
      String fingerprint,
      String serial,
      String kind,
      String keyId,
      List<String> principals,
      Instant validAfter,
      Instant validBefore,
      List<String> criticalOptions,
      List<String> extensions,
      String authority,
      String signatureAlgorithm) {}

  /** Whether a key may be placed on a destination. */
  public record MayGo(String destination, VerdictView verdict) {}

  /**
   * One piece of what was pasted.
   *
   * @param number counted from 1
   * @param line the line on which it starts
   * @param lines how many lines it takes
   * @param form the notation, absent if none was recognised
   * @param outcome key, certificate, question or refused
   * @param registeredAs the id of the live registration of the same key
   * @param registeredFor whom that is for
   * @param verdict the rulebook's verdict on the key by itself
   * @param mayGo the verdict at each destination, if there are few pieces
   */
  public record Piece(
      int number,
      long line,
      long lines,
      String form,
      String outcome,
      List<MendingView> mendings,
      ReadKey key,
      CertificateView certificate,
      String question,
      List<ChoiceView> choices,
      RefusalView refusal,
      UUID registeredAs,
      String registeredFor,
      VerdictView verdict,
      List<MayGo> mayGo) {}

  /** What was understood. */
  public record Look(List<Piece> pieces, int keys, int accepted, int refused) {}

  /**
   * Lines to take in.
   *
   * @param lines each one key in any form that stands on one line; at most 10,000
   * @param identityId whom they all belong to; absent for nobody yet
   * @param byComment take an identity whose name is the key's comment, or its part before an at
   *     sign
   * @param custody machine, device, module or elsewhere
   */
  public record IntakeWish(
      List<String> lines, UUID identityId, boolean byComment, String custody) {}

  /**
   * What became of one line.
   *
   * @param index counted from 0, as in the request
   * @param outcome registered, there, again, refused or no-key
   * @param keyId the record, new or there already
   * @param identity whom it belongs to
   * @param warnings how many rules it falls short of although it was accepted
   * @param reason why it was not registered
   * @param wayOut what to do
   */
  public record LineResult(
      int index,
      String outcome,
      UUID keyId,
      String fingerprint,
      String identity,
      int warnings,
      String reason,
      String wayOut) {}

  /** What became of all. */
  public record IntakeResult(int registered, int there, int refused, List<LineResult> results) {}

  /** Looks at bytes of any form without keeping them. */
  @POST
  @Path("look")
  @Consumes(MediaType.APPLICATION_OCTET_STREAM)
  @Transactional
  public Look lookAtIntake(
      byte[] content,
      @QueryParam("identity") UUID identity,
      @QueryParam("custody") String custody) {
    return intakes.look(content == null ? new byte[0] : content, identity, custody);
  }

  /** Takes lines in: each by itself, so that some may be registered and others refused. */
  @POST
  public IntakeResult takeIn(IntakeWish wish) {
    return intakes.take(wish);
  }
}
