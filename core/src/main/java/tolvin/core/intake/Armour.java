package tolvin.core.intake;

import tolvin.core.form.DerKeys;
import tolvin.core.form.Form;
import tolvin.core.key.Base64Text;
import tolvin.core.key.OtherTypes;
import tolvin.core.key.PlainText;
import tolvin.core.key.PublicKey;
import tolvin.core.key.Refusal.Reason;
import tolvin.core.key.RefusedException;

/** The inside of a PEM block (RFC 7468), by its label and, where that errs, by what it is. */
final class Armour {
  private Armour() {}

  /**
   * What was read.
   *
   * @param form the form inside
   * @param key the key
   * @param mislabelled whether the label names another form
   */
  record Read(Form form, PublicKey key, boolean mislabelled) {}

  /**
   * Reads a block.
   *
   * @param label what stands behind BEGIN
   * @param body the base64 between the armour lines
   */
  static Read read(String label, String body) throws RefusedException {
    if (label.startsWith("PGP PUBLIC KEY")) {
      throw new RefusedException(OtherTypes.openPgp());
    }
    if (!label.matches("PUBLIC KEY|RSA PUBLIC KEY|(?:X509 |TRUSTED )?CERTIFICATE")) {
      throw new RefusedException(
          Reason.OTHER_FORM,
          "The armoured block holds " + what(label) + ", which is no public key for signing in.",
          "Ask for the public key itself: one line, RFC 4716 or PEM.",
          0);
    }
    DerKeys.Found found = DerKeys.read(Base64Text.decode(body.replaceAll("\\s", "")));
    Form said =
        label.equals("PUBLIC KEY")
            ? Form.SPKI_DER
            : label.startsWith("RSA") ? Form.PKCS1_PEM : Form.X509;
    Form form = found.form() == Form.SPKI_DER ? Form.SPKI_PEM : found.form();
    return new Read(form, found.key(), found.form() != said);
  }

  private static String what(String label) {
    if (label.endsWith("CERTIFICATE REQUEST")) {
      return "a certificate request";
    }
    return "“" + PlainText.shown(label) + "”";
  }
}
