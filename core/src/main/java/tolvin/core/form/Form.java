package tolvin.core.form;

import java.util.Arrays;
import java.util.Optional;
import tolvin.core.word.Words;

/** A notation in which a public key comes or is given out. */
public enum Form {
  ONE_LINE("one line"),
  TWO_FIELDS("type word and body"),
  AUTHORIZED_KEYS("authorized_keys line"),
  RFC4716("SSH exchange file (RFC 4716)"),
  SPKI_PEM("SPKI, PEM"),
  SPKI_DER("SPKI, DER"),
  PKCS1_PEM("PKCS#1, PEM"),
  JWK("JWK"),
  X509("X.509 certificate"),
  OPENSSH_CERTIFICATE("OpenSSH certificate"),
  BARE_BASE64("bare base64");

  private final String label;

  Form(String label) {
    this.label = label;
  }

  /** The notation's name for people. */
  public String label() {
    return label;
  }

  /** The notation's name for programs: its constant in lower case with hyphens. */
  public String word() {
    return Words.of(this);
  }

  /** The notation with a name. */
  public static Optional<Form> ofWord(String word) {
    return Arrays.stream(values()).filter(form -> form.word().equals(word)).findFirst();
  }
}
