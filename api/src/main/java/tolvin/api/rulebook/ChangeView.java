package tolvin.api.rulebook;

import java.util.UUID;
import org.jspecify.annotations.Nullable;
import tolvin.core.rulebook.Verdict;

/** What would change for one key or placement. */
public record ChangeView(
    UUID keyId,
    String fingerprint,
    @Nullable String identity,
    @Nullable String account,
    Verdict.Outcome before,
    VerdictView after) {}
