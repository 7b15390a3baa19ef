package tolvin.api.registration;

import java.util.List;
import org.jspecify.annotations.Nullable;

/**
 * Keys to place on accounts with one decision: lines one by one, or each of some keys on each of
 * some accounts, or both.
 *
 * @param lines one key on one account each, at most 5,000 with those that are chosen
 * @param keys the keys of which each is placed on each of the accounts
 * @param accounts and on which accounts
 * @param terms on what terms that is done
 * @param atOnce how many are placed at once on one destination; four if absent
 * @param testFirst whether one is placed and tried before the others; true if absent
 * @param reason why, for the journal
 */
public record RegistrationRequest(
    @Nullable List<RegistrationLine> lines,
    @Nullable Choice keys,
    @Nullable Choice accounts,
    @Nullable PlacingTerms terms,
    @Nullable Integer atOnce,
    @Nullable Boolean testFirst,
    String reason,
    @Nullable String ticket) {}
