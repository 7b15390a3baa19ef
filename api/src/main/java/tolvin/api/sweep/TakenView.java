package tolvin.api.sweep;

import java.util.List;
import java.util.Map;
import org.jspecify.annotations.Nullable;

/**
 * What came of one file.
 *
 * @param account login and destination
 * @param fresh keys that were not known
 * @param joined keys that stood somewhere else already: one key, one record
 * @param known entries that were on record already
 * @param ignored lines that a server ignores, with their numbers and why
 * @param suggested keys without owner whose comment lets one guess whose they are
 * @param trouble why the file could not be taken; absent if it was
 */
public record TakenView(
    String account,
    int fresh,
    int joined,
    int known,
    List<String> ignored,
    @Nullable Map<String, String> suggested,
    @Nullable String trouble) {}
