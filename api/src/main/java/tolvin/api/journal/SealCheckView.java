package tolvin.api.journal;

import org.jspecify.annotations.Nullable;

/**
 * What checking the whole chain found.
 *
 * @param entries how many sealed entries there are
 * @param holds whether every link is what it must be, and the signature over the last one
 * @param brokenAt the number of the first entry that is not, absent if all hold
 * @param unsealed how many entries wait to be sealed
 */
public record SealCheckView(long entries, boolean holds, @Nullable Long brokenAt, int unsealed) {}
