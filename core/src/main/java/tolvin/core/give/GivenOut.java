package tolvin.core.give;

import java.util.Base64;
import java.util.List;
import tolvin.core.authorized.KeyOptions;
import tolvin.core.form.DerKeys;
import tolvin.core.form.ExchangeFile;
import tolvin.core.form.Form;
import tolvin.core.form.Jwk;
import tolvin.core.form.Pem;
import tolvin.core.key.PublicKey;
import tolvin.core.key.Refusal.Reason;
import tolvin.core.key.RefusedException;

/** A public key written in the notation that somebody wants. */
public final class GivenOut {
  /** The forms that keys are given out in. */
  public static final List<Form> FORMS =
      List.of(
          Form.ONE_LINE,
          Form.TWO_FIELDS,
          Form.AUTHORIZED_KEYS,
          Form.RFC4716,
          Form.SPKI_PEM,
          Form.PKCS1_PEM,
          Form.BARE_BASE64,
          Form.JWK);

  private GivenOut() {}

  /**
   * Writes a key as text that ends with a line end.
   *
   * @param comment what stands beside the key where the form has a place for it
   * @param options what stands before it, for a line of authorized_keys
   * @throws RefusedException if the form cannot say this key, or is none that keys are given out in
   */
  public static String write(PublicKey key, String comment, KeyOptions options, Form form)
      throws RefusedException {
    return switch (form) {
      case ONE_LINE -> key.line(comment) + '\n';
      case TWO_FIELDS -> key.line() + '\n';
      case AUTHORIZED_KEYS -> authorizedLine(key, comment, options) + '\n';
      case RFC4716 -> ExchangeFile.write(key, comment);
      case SPKI_PEM -> Pem.write("PUBLIC KEY", DerKeys.writeSpki(key));
      case SPKI_DER, BARE_BASE64 ->
          Base64.getEncoder().encodeToString(DerKeys.writeSpki(key)) + '\n';
      case PKCS1_PEM -> Pem.write("RSA PUBLIC KEY", DerKeys.writePkcs1(key));
      case JWK -> Jwk.write(key, comment) + '\n';
      case X509, OPENSSH_CERTIFICATE ->
          throw new RefusedException(
              Reason.OTHER_FORM,
              "A certificate is signed by an authority; Tolvin is none.",
              "Choose another form.",
              -1);
    };
  }

  /** A line of authorized_keys without its end (sshd(8)). */
  public static String authorizedLine(PublicKey key, String comment, KeyOptions options) {
    String before = options.toString();
    return before.isEmpty() ? key.line(comment) : before + ' ' + key.line(comment);
  }
}
