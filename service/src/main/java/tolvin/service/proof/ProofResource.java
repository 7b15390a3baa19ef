package tolvin.service.proof;

import jakarta.annotation.security.RolesAllowed;
import jakarta.ws.rs.DELETE;
import jakarta.ws.rs.GET;
import jakarta.ws.rs.POST;
import jakarta.ws.rs.Path;
import java.time.Instant;
import java.util.List;
import java.util.UUID;
import tolvin.core.proof.Challenge;
import tolvin.service.key.KeyRow;
import tolvin.service.people.Role;
import tolvin.service.web.Page;

/** Challenges, the keys that are proven with them, and the makers of security keys. */
@Path("/api/v1")
@RolesAllowed(Role.ADMINISTRATOR)
public class ProofResource {
  private final Proofs proofs;
  private final Makers makers;
  private final Owners owners;

  ProofResource(Proofs proofs, Makers makers, Owners owners) {
    this.proofs = proofs;
    this.makers = makers;
    this.owners = owners;
  }

  /**
   * A challenge to be given out.
   *
   * @param identityId whose key is to be proven; absent for the caller's own identity
   */
  public record ChallengeWish(UUID identityId) {}

  /**
   * A challenge.
   *
   * @param text what is signed, byte for byte
   * @param namespace the namespace of the signature
   * @param passphraseRule the rule that wants a passphrase on a private file of this identity;
   *     absent if none does
   */
  public record ChallengeView(
      UUID id,
      String identity,
      String text,
      String namespace,
      Instant expiresAt,
      String passphraseRule) {}

  /**
   * An answer to a challenge.
   *
   * @param signature the file that ssh-keygen -Y sign wrote, or one in the same format
   * @param key the public key, for its comment; absent if the signature's own is enough
   * @param attestation the attestation file in base64; absent if there is none
   * @param passphrase whether the private file has one; said by the client that made it
   * @param custody machine, module or elsewhere; a hardware key's is device by itself
   */
  public record Answer(
      String signature, String key, String attestation, String custody, boolean passphrase) {}

  /** A key that was proven. */
  public record Proven(UUID keyId, String fingerprint, String type, List<ProofView> proofs) {}

  /** A maker's certificate, in PEM. */
  public record MakerWish(String certificate) {}

  /** A maker of security keys whose attestations are believed. */
  public record MakerView(UUID id, String name, String fingerprint, Instant validFrom) {}

  /** Gives a challenge out; it is good for a quarter of an hour, and for one proof. */
  @POST
  @Path("challenges")
  @RolesAllowed({Role.ADMINISTRATOR, Role.SELF})
  public ChallengeView addChallenge(ChallengeWish wish) {
    UUID identity = owners.meant(wish == null ? null : wish.identityId());
    ChallengeRow row = proofs.challenge(Challenge.Purpose.POSSESSION, identity, "");
    return new ChallengeView(
        row.id,
        row.identity,
        row.text,
        Challenge.Purpose.POSSESSION.namespace(),
        row.expiresAt,
        proofs.passphraseRule(identity).orElse(null));
  }

  /** Takes a key in with proof, or proves one that is registered. */
  @POST
  @Path("challenges/{id}/answer")
  @RolesAllowed({Role.ADMINISTRATOR, Role.SELF})
  public Proven answer(UUID id, Answer answer) {
    owners.demandSight(proofs.challenge(id).identityId);
    KeyRow key = proofs.take(id, answer);
    return new Proven(key.id, key.fingerprint, key.type, ProofView.of(proofs.of(key.id)));
  }

  /** The makers whose attestations are believed. */
  @GET
  @Path("makers")
  public Page<MakerView> listMakers() {
    return new Page<>(makers.inForce().stream().map(ProofResource::view).toList(), null);
  }

  /** Believes a maker's attestations from now on. */
  @POST
  @Path("makers")
  public MakerView addMaker(MakerWish wish) {
    return view(makers.add(wish.certificate()));
  }

  /** Believes them no longer; what was proven stays on record. */
  @DELETE
  @Path("makers/{id}")
  public void removeMaker(UUID id) {
    makers.remove(id);
  }

  private static MakerView view(MakerRow row) {
    return new MakerView(row.id, row.name, row.fingerprint, row.validFrom);
  }
}
