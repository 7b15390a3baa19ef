package tolvin.api.registration;

import org.jspecify.annotations.Nullable;

/**
 * One key on one account.
 *
 * @param key its fingerprint, its id, or its identity where that has one key
 * @param account LOGIN@DESTINATION or its id
 * @param terms on what terms; plain if absent
 */
public record RegistrationLine(String key, String account, @Nullable PlacingTerms terms) {}
