package tolvin.api.rotation;

import java.util.UUID;
import org.jspecify.annotations.Nullable;
import tolvin.core.rotation.EffectKind;
import tolvin.core.rotation.Question;

/**
 * A question of a rotation; to answer it, send it back as it came.
 *
 * @param kind what is asked
 * @param subject the tie, seat or account that it is about; absent if it is about an effect
 * @param effect the kind of effect that it is about; absent otherwise
 * @param where the account, seat or tie of that effect; absent if it has none
 * @param key the fingerprint of that effect's key; absent if it has none
 */
public record QuestionView(
    Question.Kind kind,
    @Nullable UUID subject,
    @Nullable EffectKind effect,
    @Nullable UUID where,
    @Nullable String key) {}
