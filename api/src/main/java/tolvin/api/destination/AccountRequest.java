package tolvin.api.destination;

import java.util.UUID;
import org.jspecify.annotations.Nullable;
import tolvin.core.estate.Management;
import tolvin.core.estate.SignInMode;

/**
 * An account to add.
 *
 * @param kind the kind of account, where the sheet knows several
 * @param signInMode password, key, either or both
 * @param holds how many keys it can hold
 * @param identityId the person that the account belongs to; absent for service accounts
 * @param managedBy who writes its keys; Tolvin if absent
 * @param otherSource what the other source is
 * @param password for an account that wants a key and a password: what Tolvin signs in with; it is
 *     kept in the coffer and never shown
 */
public record AccountRequest(
    String login,
    @Nullable String kind,
    @Nullable SignInMode signInMode,
    @Nullable Integer holds,
    @Nullable UUID identityId,
    @Nullable Management managedBy,
    @Nullable String otherSource,
    @Nullable String password) {

  /** An account of which only the login is known. */
  public static AccountRequest named(String login) {
    return new AccountRequest(login, null, null, 100, null, null, null, null);
  }

  /** Never shows the password. */
  @Override
  public String toString() {
    return "account " + login;
  }
}
