package tolvin.api.destination;

/**
 * What came of lines that were read in.
 *
 * @param counted uses that were counted
 * @param again lines that were counted before
 * @param timeless lines without a time, which could not be told from ones counted before
 * @param tooOld lines from before what is remembered
 * @param unknownAccounts uses on accounts that are not on record, counted too
 */
public record ReadInView(
    long counted, long again, long timeless, long tooOld, long unknownAccounts) {}
