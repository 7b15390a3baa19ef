package tolvin.core.estate;

import java.time.Duration;

/**
 * One seat signing in to one account.
 *
 * @param id its id
 * @param name integration and account, for sentences
 * @param seat the seat that offers
 * @param account the account that accepts
 * @param address the address that the seat signs in from
 * @param expectedInterval the longest silence that is normal
 * @param longestSession how long one connection may last
 */
public record Tie(
    TieId id,
    String name,
    SeatId seat,
    AccountId account,
    String address,
    Duration expectedInterval,
    Duration longestSession) {}
