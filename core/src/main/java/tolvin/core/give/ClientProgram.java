package tolvin.core.give;

import java.util.Optional;
import java.util.stream.Stream;
import tolvin.core.key.KeyType;
import tolvin.core.pair.PrivateForm;

/**
 * Programs that sign in with a private file, and the forms that they read. It was found out by
 * trying them: OpenSSH 9.2, libssh2 1.10, Paramiko 2.12, Dropbear 2022.83, PuTTY 0.78; a test tries
 * those of the machine again.
 */
public enum ClientProgram {
  OPENSSH("OpenSSH", null),
  LIBSSH2("curl and others with libssh2", null),
  PARAMIKO("Python programs with Paramiko", null),
  DROPBEAR("Dropbear's client", "dropbearconvert openssh dropbear FILE NEW"),
  PUTTY("PuTTY and its family", "puttygen FILE -o NEW.ppk");

  private final String title;
  private final String converts;

  ClientProgram(String title, String converts) {
    this.title = title;
    this.converts = converts;
  }

  /** What it is called, for people. */
  public String title() {
    return title;
  }

  /** The command that makes its own form of OpenSSH's; empty if it needs none. */
  public Optional<String> converts() {
    return Optional.ofNullable(converts);
  }

  /** Whether it signs in with a file of this form that holds a key of this type. */
  public boolean reads(PrivateForm form, KeyType type) {
    if (converts != null || !form.fits(type)) {
      return false;
    }
    return switch (form) {
      case OPENSSH -> true;
      case PKCS8 -> this != PARAMIKO && type != KeyType.ED25519;
      case PEM -> true;
    };
  }

  /** The form to give it: the first that it reads, else OpenSSH's, to be converted. */
  public PrivateForm best(KeyType type) {
    return Stream.of(PrivateForm.values())
        .filter(form -> reads(form, type))
        .findFirst()
        .orElse(PrivateForm.OPENSSH);
  }
}
