package tolvin.service.record.rotation;

import java.util.Optional;
import java.util.UUID;
import tolvin.core.rotation.Question;

/**
 * A question as it is kept.
 *
 * @param subject the tie, seat or account that it is about; null if it is about an effect
 * @param effect the effect that it is about; null otherwise
 */
public record StoredQuestion(Question.Kind kind, UUID subject, StoredEffect effect) {
  public static StoredQuestion of(Question question) {
    return new StoredQuestion(
        question.kind(),
        question.subject().orElse(null),
        question.effect().map(StoredEffect::of).orElse(null));
  }

  public Question question() {
    return new Question(
        kind, Optional.ofNullable(subject), Optional.ofNullable(effect).map(StoredEffect::id));
  }
}
