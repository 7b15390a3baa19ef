package tolvin.api.destination;

import java.util.UUID;
import org.jspecify.annotations.Nullable;
import tolvin.core.estate.Management;

/**
 * What is known of an account and can be said anew; what is absent stays.
 *
 * @param managedBy who writes its keys
 * @param otherSource what the other source is
 * @param holds how many keys it can hold
 * @param identityId the person that it belongs to
 * @param password for an account that wants a key and a password; it is never shown
 */
public record AccountChangeRequest(
    @Nullable Management managedBy,
    @Nullable String otherSource,
    @Nullable Integer holds,
    @Nullable UUID identityId,
    @Nullable String password) {

  /** Never shows the password. */
  @Override
  public String toString() {
    return "change of an account";
  }
}
