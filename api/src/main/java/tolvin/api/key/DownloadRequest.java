package tolvin.api.key;

import org.jspecify.annotations.Nullable;

/**
 * What the owner wants to have.
 *
 * @param passphrase what the private key is encrypted with
 * @param form openssh or pkcs8
 */
public record DownloadRequest(String passphrase, @Nullable String form) {
  @Override
  public String toString() {
    return "DownloadWish[" + form + "]";
  }
}
