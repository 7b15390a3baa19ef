package tolvin.api.destination;

import org.jspecify.annotations.Nullable;

/**
 * What to try: an account's login, or where there are none a seat and the job that uses it.
 *
 * @param account the login of an account on record
 * @param seat the name of a credential
 * @param job the job that signs in with it
 */
public record TestRequest(@Nullable String account, @Nullable String seat, @Nullable String job) {}
