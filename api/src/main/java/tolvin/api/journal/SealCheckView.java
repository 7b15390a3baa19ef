package tolvin.api.journal;

import org.jspecify.annotations.Nullable;

/**
 * What checking the whole chain found.
 *
 * @param entries how many sealed entries there are
 * @param holds whether every link, signature and name is what it must be, and the journal is as
 *     long as it is known to have been
 * @param brokenAt the number of the first entry that is not, absent if all hold
 * @param sentence what is wrong, absent if nothing is
 * @param unsealed how many entries wait to be sealed
 */
public record SealCheckView(
    long entries,
    boolean holds,
    @Nullable Long brokenAt,
    @Nullable String sentence,
    int unsealed) {}
