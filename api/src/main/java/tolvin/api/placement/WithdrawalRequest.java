package tolvin.api.placement;

import org.jspecify.annotations.Nullable;

/**
 * Why a placement is to be withdrawn.
 *
 * @param overrule whether it is to go although something would break, which the refusal tells
 */
public record WithdrawalRequest(String reason, @Nullable Boolean overrule) {}
