package tolvin.api.sheet;

import java.time.Duration;
import java.util.List;
import org.jspecify.annotations.Nullable;
import tolvin.core.estate.Access;
import tolvin.core.estate.Purpose;

/** What an account of a kind can hold. */
public record KindView(
    String name,
    int slots,
    List<String> slotNames,
    List<String> types,
    int rsaLeast,
    int rsaMost,
    String form,
    @Nullable Integer longestTitle,
    Duration propagation,
    @Nullable Duration reportsUse,
    List<String> limits,
    List<Purpose> purposes,
    List<Access> access,
    @Nullable String way) {}
