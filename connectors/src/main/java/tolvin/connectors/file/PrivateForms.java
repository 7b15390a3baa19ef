package tolvin.connectors.file;

import java.security.SecureRandom;
import tolvin.core.key.RefusedException;
import tolvin.core.pair.PrivateForm;
import tolvin.core.pair.SecretPair;
import tolvin.core.port.PortException;
import tolvin.core.port.PortException.Kind;

/** Private files for seats, in the form that their clients read. */
public final class PrivateForms {
  private static final SecureRandom RANDOM = new SecureRandom();

  private PrivateForms() {}

  /**
   * A private file without a passphrase in another form.
   *
   * @param seat what it is for, for sentences
   * @param file in OpenSSH's form
   * @return the same where that is the form; otherwise the caller overwrites it
   * @throws PortException if the form has no word for the key's type
   */
  public static byte[] in(PrivateForm form, String seat, byte[] file) throws PortException {
    if (form == PrivateForm.OPENSSH) {
      return file;
    }
    try (SecretPair pair =
        PrivateFiles.open(file, () -> new char[0])
            .pair()
            .orElseThrow(() -> new IllegalArgumentException("a file without a pair"))) {
      if (!form.fits(pair.key().type())) {
        throw new PortException(
            Kind.NOT_ALLOWED,
            seat
                + " holds its key in "
                + form.title()
                + ", which has no word for "
                + pair.key().type().label()
                + ".",
            "Choose a new key of type RSA or ECDSA, or have the client read OpenSSH's form.");
      }
      return PrivateFiles.write(pair, "", form, new char[0], RANDOM);
    } catch (RefusedException e) {
      throw new IllegalArgumentException("not a private file in OpenSSH's form", e);
    }
  }
}
