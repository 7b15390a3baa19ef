package tolvin.service.mine;

import jakarta.enterprise.context.ApplicationScoped;
import jakarta.transaction.Transactional;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.List;
import java.util.Optional;
import java.util.UUID;
import tolvin.api.mine.OwnAccountView;
import tolvin.api.mine.OwnKeyView;
import tolvin.api.mine.OwnPlacementRequest;
import tolvin.api.mine.OwnPlacementView;
import tolvin.api.mine.OwnView;
import tolvin.api.placement.PlacementRequest;
import tolvin.service.coffer.Coffer;
import tolvin.service.identity.Owners;
import tolvin.service.key.MadeKeys;
import tolvin.service.placement.Placements;
import tolvin.service.problem.Problem;
import tolvin.service.proof.Proofs;
import tolvin.service.record.account.AccountRow;
import tolvin.service.record.account.AccountStore;
import tolvin.service.record.destination.DestinationStore;
import tolvin.service.record.identity.IdentityRow;
import tolvin.service.record.identity.IdentityStore;
import tolvin.service.record.key.KeyRow;
import tolvin.service.record.key.KeyStore;
import tolvin.service.record.placement.PlacementRow;
import tolvin.service.record.placement.PlacementStore;
import tolvin.service.record.proof.ProofRow;

/** What is the caller's own. */
@ApplicationScoped
class Mine {
  private final Owners owners;
  private final IdentityStore identities;
  private final KeyStore keys;
  private final Proofs proofs;
  private final MadeKeys made;
  private final Coffer coffer;
  private final PlacementStore placements;
  private final Placements newPlacements;
  private final AccountStore accounts;
  private final DestinationStore destinations;

  Mine(
      Owners owners,
      IdentityStore identities,
      KeyStore keys,
      Proofs proofs,
      MadeKeys made,
      Coffer coffer,
      PlacementStore placements,
      Placements newPlacements,
      AccountStore accounts,
      DestinationStore destinations) {
    this.owners = owners;
    this.identities = identities;
    this.keys = keys;
    this.proofs = proofs;
    this.made = made;
    this.coffer = coffer;
    this.placements = placements;
    this.newPlacements = newPlacements;
    this.accounts = accounts;
    this.destinations = destinations;
  }

  @Transactional
  OwnView of() {
    Optional<UUID> own = owners.own();
    if (own.isEmpty()) {
      return new OwnView(null, null, List.of(), List.of());
    }
    IdentityRow self = identities.get(own.get());
    List<OwnKeyView> found = new ArrayList<>();
    identities.ownedBy(self).stream()
        .sorted(Comparator.comparing((IdentityRow i) -> !i.id.equals(self.id)))
        .forEach(
            identity ->
                keys.liveOf(identity.id).stream()
                    .sorted(Comparator.comparing((KeyRow k) -> k.registeredAt).reversed())
                    .forEach(key -> found.add(view(key, identity))));
    return new OwnView(
        self.id,
        self.name,
        found,
        accounts.ofIdentity(self.id).stream()
            .map(a -> new OwnAccountView(a.id, destinations.nameOf(a), a.signInMode))
            .toList());
  }

  private OwnKeyView view(KeyRow key, IdentityRow identity) {
    List<ProofRow> proven = proofs.of(key.id);
    var download = made.download(key.id);
    return new OwnKeyView(
        key.id,
        identity.name,
        key.fingerprint,
        key.type,
        key.comment,
        key.custody,
        key.registeredAt,
        proven.stream().map(p -> p.kind).distinct().toList(),
        proven.stream().anyMatch(p -> Boolean.TRUE.equals(p.verified)),
        proofs.counter(key.id).filter(c -> c.wentBackAt != null).isPresent(),
        download.isEmpty() && coffer.holds(Coffer.PRIVATE_KEY, key.id),
        download.map(d -> d.at).orElse(null),
        placements.liveOfKeys(List.of(key.id)).stream().map(this::view).toList(),
        placements.trialsSeen(null, key.id, 10).stream()
            .filter(t -> t.accepted)
            .map(t -> t.madeAt)
            .findFirst()
            .orElse(null));
  }

  private OwnPlacementView view(PlacementRow row) {
    return new OwnPlacementView(
        row.id,
        row.accountId,
        destinations.nameOf(accounts.get(row.accountId)),
        row.state,
        row.reason);
  }

  @Transactional
  OwnPlacementView place(OwnPlacementRequest request) {
    KeyRow key = keys.get(request.keyId());
    AccountRow account = accounts.get(request.accountId());
    UUID own = owners.own().orElseThrow(Owners::notYours);
    if (!own.equals(key.identityId) || !own.equals(account.identityId)) {
      throw Owners.notYours();
    }
    if (proofs.of(key.id).isEmpty()) {
      throw Problem.conflict(
          "not-proven",
          "It is not proven that you hold this key.",
          "Prove it first: sign a challenge with it.");
    }
    String title =
        request.title() == null || request.title().isBlank() ? key.comment : request.title();
    return view(
        newPlacements.want(
            new PlacementRequest(
                key.id,
                account.id,
                title.isBlank() ? "own key" : title,
                null,
                null,
                List.of(),
                null,
                List.of())));
  }
}
