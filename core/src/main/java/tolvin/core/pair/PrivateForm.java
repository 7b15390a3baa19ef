package tolvin.core.pair;

import tolvin.core.key.KeyType;

/** The forms that private files are written in. */
public enum PrivateForm {
  /** OpenSSH's own (PROTOCOL.key), for every type. */
  OPENSSH("OpenSSH's form"),
  /** PKCS#8 in PEM (RFC 5958, RFC 7468), for every type. */
  PKCS8("PKCS#8"),
  /** The older PEM forms: PKCS#1 for RSA (RFC 8017), SEC1 for ECDSA (RFC 5915). */
  PEM("traditional PEM");

  private final String title;

  PrivateForm(String title) {
    this.title = title;
  }

  /** Its name for people. */
  public String title() {
    return title;
  }

  /** Whether a key of a type can be written in it. */
  public boolean fits(KeyType type) {
    return !type.hardware() && (this != PEM || type != KeyType.ED25519);
  }
}
