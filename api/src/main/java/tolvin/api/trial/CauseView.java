package tolvin.api.trial;

import java.util.List;
import tolvin.core.diagnosis.Cause;
import tolvin.core.diagnosis.CauseKind;

/**
 * A cause of a failed sign-in.
 *
 * @param certainty how sure it is
 * @param evidence what speaks for it
 * @param remedy what to do
 */
public record CauseView(
    CauseKind kind,
    Cause.Certainty certainty,
    String sentence,
    List<String> evidence,
    String remedy) {}
