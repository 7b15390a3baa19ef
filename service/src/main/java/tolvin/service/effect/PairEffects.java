package tolvin.service.effect;

import static tolvin.service.store.Transactions.inNewTransaction;

import jakarta.enterprise.context.ApplicationScoped;
import java.time.Instant;
import java.util.List;
import java.util.Map;
import java.util.UUID;
import tolvin.core.estate.Custody;
import tolvin.core.key.Fingerprint;
import tolvin.core.pair.SecretPair;
import tolvin.core.port.PortException;
import tolvin.core.port.PortException.Kind;
import tolvin.core.rotation.Effect;
import tolvin.core.sheet.Ability;
import tolvin.core.sheet.SystemSheet.AccountKind;
import tolvin.service.coffer.Coffer;
import tolvin.service.destination.Access;
import tolvin.service.journal.Journal;
import tolvin.service.key.Keys;
import tolvin.service.key.MadeKeys;
import tolvin.service.placement.Placements;
import tolvin.service.record.account.AccountStore;
import tolvin.service.record.identity.IdentityStore;
import tolvin.service.record.key.KeyRow;
import tolvin.service.record.key.KeyStore;
import tolvin.service.record.placement.PlacementRow;
import tolvin.service.record.placement.PlacementStore;
import tolvin.service.record.placement.Terms;
import tolvin.service.record.rotation.RotationRow;
import tolvin.service.record.rotation.RotationStore;
import tolvin.service.store.ClockStore;

/** Pairs in the coffer: made, taken for a sign-in or a seat, destroyed. */
@ApplicationScoped
class PairEffects {
  private final Access access;
  private final Coffer coffer;
  private final RotationStore rotations;
  private final KeyStore keys;
  private final Keys newKeys;
  private final MadeKeys madeKeys;
  private final IdentityStore identities;
  private final AccountStore accounts;
  private final PlacementStore placements;
  private final Placements newPlacements;
  private final EffectJournal effectJournal;
  private final Journal journal;
  private final ClockStore clock;

  PairEffects(
      Access access,
      Coffer coffer,
      RotationStore rotations,
      KeyStore keys,
      Keys newKeys,
      MadeKeys madeKeys,
      IdentityStore identities,
      AccountStore accounts,
      PlacementStore placements,
      Placements newPlacements,
      EffectJournal effectJournal,
      Journal journal,
      ClockStore clock) {
    this.access = access;
    this.coffer = coffer;
    this.rotations = rotations;
    this.keys = keys;
    this.newKeys = newKeys;
    this.madeKeys = madeKeys;
    this.identities = identities;
    this.accounts = accounts;
    this.placements = placements;
    this.newPlacements = newPlacements;
    this.effectJournal = effectJournal;
    this.journal = journal;
    this.clock = clock;
  }

  /** The private key is committed before its public key is placed anywhere. */
  EffectHandlers.Recording make(Effects.Job job) {
    List<Ability> abilities =
        inNewTransaction(() -> abilities(keys.get(rotations.get(job.rotation()).oldKeyId)));
    // a long RSA key takes seconds, for which no transaction is held
    SecretPair pair = Ability.pairFor(abilities, clock.random());
    return () -> {
      try (pair) {
        keep(pair, job.rotation());
      }
    };
  }

  private List<Ability> abilities(KeyRow old) {
    return placements.liveOfKeys(List.of(old.id)).stream()
        .flatMap(p -> access.kind(accounts.get(p.accountId)).stream())
        .map(AccountKind::ability)
        .toList();
  }

  private void keep(SecretPair pair, UUID rotationId) {
    RotationRow rotation = rotations.lock(rotationId);
    if (rotation.newKeyId != null) {
      return;
    }
    KeyRow old = keys.get(rotation.oldKeyId);
    String owner = identities.find(old.identityId).map(i -> i.name).orElse("nobody");
    Instant now = clock.now();
    String comment = madeKeys.comment(owner, now);
    KeyRow made = newKeys.add(pair.key(), comment, old.identityId, Custody.COFFER, now);
    keys.flush();
    coffer.keep(Coffer.PRIVATE_KEY, made.id, pair);
    rotation.newKeyId = made.id;
    for (PlacementRow placed : placements.liveOfKeys(List.of(old.id))) {
      newPlacements.want(made, accounts.get(placed.accountId), rotationId, Terms.of(placed));
    }
    journal.write(
        "key.made",
        made.id,
        "New pair " + made.fingerprint + " made in the coffer for " + owner,
        Map.of("rotation", rotationId.toString(), "replaces", old.fingerprint));
  }

  EffectHandlers.Recording destroy(Effects.Job job, Effect.Destroy effect) {
    return () -> {
      UUID key = keys.known(effect.key()).id;
      coffer.destroy(Coffer.PRIVATE_KEY, key);
      effectJournal.tell("coffer.destroyed", job, key);
    };
  }

  /**
   * The pair of a key, to be closed after use.
   *
   * @throws PortException if the coffer does not hold it
   */
  SecretPair take(Fingerprint key) throws PortException {
    KeyRow row = inNewTransaction(() -> keys.known(key));
    return coffer
        .take(Coffer.PRIVATE_KEY, row.id, Access.key(row.blob))
        .orElseThrow(
            () ->
                new PortException(
                    Kind.NOT_ALLOWED,
                    "The coffer does not hold the private key of " + key + ".",
                    "Its holder has to supply it by hand."));
  }
}
