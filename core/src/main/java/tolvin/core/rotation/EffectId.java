package tolvin.core.rotation;

import java.util.Optional;
import java.util.UUID;
import tolvin.core.key.Fingerprint;

/**
 * Which effect of a rotation it is; the same for the same effect, however often it is tried.
 *
 * @param kind its kind
 * @param where the account, seat or tie that it is about; empty if it is about a key alone
 * @param key the key that it is about; empty if it is about all of a place
 */
public record EffectId(EffectKind kind, Optional<UUID> where, Optional<Fingerprint> key) {
  static EffectId of(EffectKind kind) {
    return new EffectId(kind, Optional.empty(), Optional.empty());
  }

  static EffectId at(EffectKind kind, UUID where) {
    return new EffectId(kind, Optional.of(where), Optional.empty());
  }

  static EffectId at(EffectKind kind, UUID where, Fingerprint key) {
    return new EffectId(kind, Optional.of(where), Optional.of(key));
  }

  static EffectId of(EffectKind kind, Fingerprint key) {
    return new EffectId(kind, Optional.empty(), Optional.of(key));
  }
}
