package tolvin.api.destination;

import java.time.Instant;
import org.jspecify.annotations.Nullable;

/**
 * The uses of one key on one account from one address.
 *
 * @param account the login
 * @param known whether the account is on record
 * @param address from where; a dash if the destination does not say
 * @param lastAt when it was used last
 * @param readIn whether only a file that a person read in says so
 */
public record UseView(
    String account,
    boolean known,
    @Nullable String key,
    String address,
    Instant firstAt,
    Instant lastAt,
    long count,
    boolean readIn) {}
