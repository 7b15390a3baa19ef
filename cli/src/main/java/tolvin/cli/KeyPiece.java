package tolvin.cli;

import com.fasterxml.jackson.annotation.JsonUnwrapped;
import java.nio.file.Path;
import java.util.List;
import java.util.stream.Stream;
import tolvin.api.intake.ChoiceView;
import tolvin.core.authorized.KeyOptions;
import tolvin.core.form.Form;
import tolvin.core.intake.Correction;
import tolvin.core.intake.Intake;
import tolvin.core.intake.Item;
import tolvin.core.intake.Outcome;
import tolvin.core.proof.KeyCertificate;
import tolvin.core.weak.RsaCheck;

/**
 * A piece of a file, as {@code key look} shows it.
 *
 * @param outcome key, certificate, question or refused
 * @param said what a table says of it in one cell
 * @param mind what must be minded of the key; absent if nothing
 * @param question what has to be decided; absent if it can be read in one way only
 * @param reason why it is no key; absent if it is one
 */
record KeyPiece(
    String file,
    int number,
    long line,
    String form,
    String formLabel,
    String outcome,
    String said,
    @JsonUnwrapped Key key,
    String mind,
    String question,
    List<ChoiceView> choices,
    String reason,
    Certificate certificate,
    List<String> corrected,
    List<String> correctedBecause) {

  /** The key in it; all absent if there is none. */
  record Key(
      String fingerprint,
      String md5,
      String type,
      Integer bits,
      String application,
      String comment,
      String options) {
    private static final Key NONE = new Key(null, null, null, null, null, null, null);

    private static Key of(Outcome.Key read) {
      return new Key(
          read.key().fingerprintText(),
          read.key().md5(),
          read.key().type().word(),
          read.key().bits(),
          read.key().application().orElse(null),
          read.comment(),
          read.options().all().isEmpty() ? null : read.options().toString());
    }
  }

  /** An OpenSSH certificate in it. */
  record Certificate(
      String type,
      String serial,
      String kind,
      String keyId,
      List<String> principals,
      String validAfter,
      String validBefore,
      List<String> criticalOptions,
      List<String> extensions,
      String authority,
      String signatureAlgorithm,
      String signature) {
    private static Certificate of(KeyCertificate c) {
      return new Certificate(
          c.typeWord(),
          c.serial().toString(),
          c.host() ? "host" : "user",
          c.keyId(),
          c.principals(),
          c.validAfter().map(Object::toString).orElse("always"),
          c.validBefore().map(Object::toString).orElse("forever"),
          c.criticalOptions(),
          c.extensions(),
          c.signed().authority().fingerprintText(),
          c.signed().algorithm(),
          c.signed().fault().map(fault -> "does not hold: " + fault).orElse("holds"));
    }
  }

  static KeyPiece of(String file, Item item) {
    Outcome outcome = item.outcome();
    List<Correction> corrections =
        Stream.concat(
                item.corrections().stream().sorted(),
                Intake.ofFileName(Path.of(file).getFileName().toString()).stream())
            .toList();
    Outcome.Question question = outcome instanceof Outcome.Question q ? q : null;
    Outcome.Refused refused = outcome instanceof Outcome.Refused r ? r : null;
    return new KeyPiece(
        file,
        item.number(),
        item.line(),
        item.form().map(Form::word).orElse(null),
        item.form().map(Form::label).orElse(null),
        outcome.word(),
        said(outcome),
        key(outcome),
        outcome instanceof Outcome.Key read
            ? RsaCheck.of(read.key())
                .map(w -> "The key must not be trusted: " + w.sentence() + ".")
                .orElse(null)
            : null,
        question == null ? null : question.sentence(),
        question == null
            ? null
            : question.choices().stream().map(c -> new ChoiceView(c.label(), c.line())).toList(),
        refused == null ? null : Input.said(refused.refusal()),
        outcome instanceof Outcome.Certificate c ? Certificate.of(c.certificate()) : null,
        corrections.stream().map(Correction::word).toList(),
        corrections.stream().map(Correction::sentence).toList());
  }

  private static Key key(Outcome outcome) {
    if (outcome instanceof Outcome.Key read) {
      return Key.of(read);
    }
    return outcome instanceof Outcome.Certificate certificate
        ? Key.of(
            new Outcome.Key(
                certificate.certificate().key(), certificate.comment(), KeyOptions.NONE))
        : Key.NONE;
  }

  private static String said(Outcome outcome) {
    if (outcome instanceof Outcome.Key read) {
      return read.comment();
    }
    if (outcome instanceof Outcome.Certificate) {
      return "an OpenSSH certificate, not a key to register";
    }
    return outcome instanceof Outcome.Question question
        ? question.sentence()
        : ((Outcome.Refused) outcome).refusal().sentence();
  }
}
