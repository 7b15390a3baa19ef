package tolvin.service.record.rotation;

import java.util.Optional;
import java.util.UUID;
import tolvin.core.key.Fingerprint;
import tolvin.core.rotation.EffectId;
import tolvin.core.rotation.EffectKind;

/**
 * Which effect it is, as it is kept.
 *
 * @param where the account, seat or tie; null if it has none
 * @param key its key's fingerprint; null if it has none
 */
public record StoredEffect(EffectKind kind, UUID where, String key) {
  public static StoredEffect of(EffectId id) {
    return new StoredEffect(
        id.kind(), id.where().orElse(null), id.key().map(Fingerprint::value).orElse(null));
  }

  public EffectId id() {
    return new EffectId(
        kind, Optional.ofNullable(where), Optional.ofNullable(key).map(Fingerprint::new));
  }
}
