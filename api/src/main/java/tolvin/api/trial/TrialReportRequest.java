package tolvin.api.trial;

import java.util.List;
import org.jspecify.annotations.Nullable;
import tolvin.core.diagnosis.Circumstances;

/**
 * What a holder saw.
 *
 * @param outcome accepted, refused, host-key or unreachable
 * @param lines what ssh -v printed
 * @param agent none, silent or answers
 * @param signature over the challenge, if the sign-in succeeded and it shall be a proof
 */
public record TrialReportRequest(
    Circumstances.Outcome outcome,
    @Nullable String answer,
    @Nullable List<String> lines,
    @Nullable List<FileView> files,
    @Nullable String agent,
    @Nullable List<String> agentKeys,
    @Nullable List<String> algorithms,
    @Nullable String signature) {}
