package tolvin.api.key;

import org.jspecify.annotations.Nullable;
import tolvin.core.pair.PrivateForm;

/**
 * What the owner wants to have.
 *
 * @param passphrase what the private key is encrypted with
 * @param form the form; OpenSSH's if it is absent
 */
public record DownloadRequest(String passphrase, @Nullable PrivateForm form) {
  @Override
  public String toString() {
    return "DownloadRequest[" + form + "]";
  }
}
