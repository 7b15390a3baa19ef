package tolvin.service.proof;

import jakarta.annotation.security.RolesAllowed;
import jakarta.ws.rs.DELETE;
import jakarta.ws.rs.GET;
import jakarta.ws.rs.POST;
import jakarta.ws.rs.Path;
import java.util.UUID;
import tolvin.api.Page;
import tolvin.api.proof.ChallengeRequest;
import tolvin.api.proof.ChallengeView;
import tolvin.api.proof.ProofRequest;
import tolvin.api.proof.ProvenView;
import tolvin.api.proof.TrustAnchorRequest;
import tolvin.api.proof.TrustAnchorView;
import tolvin.core.people.TokenScope;
import tolvin.core.proof.Challenge;
import tolvin.service.identity.Owners;
import tolvin.service.record.key.KeyRow;
import tolvin.service.record.proof.ChallengeRow;
import tolvin.service.record.proof.TrustAnchorRow;
import tolvin.service.web.Needs;
import tolvin.service.web.Role;

/** Challenges, the keys that are proven with them, and the trust anchors of attestations. */
@Path("/api/v1")
@RolesAllowed(Role.ADMINISTRATOR)
public class ProofResource {
  private final Proofs proofs;
  private final TrustAnchors anchors;
  private final Owners owners;

  ProofResource(Proofs proofs, TrustAnchors anchors, Owners owners) {
    this.proofs = proofs;
    this.anchors = anchors;
    this.owners = owners;
  }

  /** Gives a challenge out; it is good for a quarter of an hour, and for one proof. */
  @POST
  @Path("challenges")
  @RolesAllowed({Role.ADMINISTRATOR, Role.SELF})
  public ChallengeView addChallenge(ChallengeRequest request) {
    UUID identity = owners.meant(request.identityId());
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
  public ProvenView answer(UUID id, ProofRequest answer) {
    owners.demandSight(proofs.challenge(id).identityId);
    KeyRow key = proofs.take(id, answer);
    return new ProvenView(key.id, key.fingerprint, key.type, ProofViews.of(proofs.of(key.id)));
  }

  /** The trust anchors. */
  @GET
  @Path("trust-anchors")
  public Page<TrustAnchorView> listMakers() {
    return new Page<>(anchors.inForce().stream().map(ProofResource::view).toList(), null);
  }

  /** Believes a maker's attestations from now on. */
  @POST
  @Needs(TokenScope.ADMINISTER)
  @Path("trust-anchors")
  public TrustAnchorView addMaker(TrustAnchorRequest request) {
    return view(anchors.add(request.certificate()));
  }

  /** Believes them no longer; what was proven stays on record. */
  @DELETE
  @Needs(TokenScope.ADMINISTER)
  @Path("trust-anchors/{id}")
  public void removeMaker(UUID id) {
    anchors.remove(id);
  }

  private static TrustAnchorView view(TrustAnchorRow row) {
    return new TrustAnchorView(row.id, row.name, row.fingerprint, row.validFrom);
  }
}
