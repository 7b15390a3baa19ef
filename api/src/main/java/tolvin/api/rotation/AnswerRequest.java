package tolvin.api.rotation;

/** A question that is answered with yes. */
public record AnswerRequest(QuestionView question, String reason) {}
