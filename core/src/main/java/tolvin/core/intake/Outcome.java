package tolvin.core.intake;

import java.util.List;
import java.util.Locale;
import tolvin.core.authorized.KeyOptions;
import tolvin.core.key.PublicKey;
import tolvin.core.key.Refusal;
import tolvin.core.proof.KeyCertificate;

/** What one piece of an intake turned out to be. */
public sealed interface Outcome {
  /** Its word for programs: key, certificate, question or refused. */
  default String word() {
    return getClass().getSimpleName().toLowerCase(Locale.ROOT);
  }

  /**
   * A key.
   *
   * @param key the key
   * @param comment the text beside it, made plain; empty if there is none
   * @param options the options before it, if it came as a line of authorized_keys
   */
  record Key(PublicKey key, String comment, KeyOptions options) implements Outcome {}

  /**
   * An OpenSSH certificate: shown, never registered.
   *
   * @param certificate what it says
   * @param comment the text behind it
   */
  record Certificate(KeyCertificate certificate, String comment) implements Outcome {}

  /**
   * Two readings are possible, and a person has to say which one is meant.
   *
   * @param sentence the question
   * @param choices the readings
   */
  record Question(String sentence, List<Choice> choices) implements Outcome {}

  /**
   * One reading.
   *
   * @param label what it would mean
   * @param line the key as one line, to be taken in again; empty if it would be no key
   */
  record Choice(String label, String line) {}

  /**
   * No key.
   *
   * @param refusal why, with the offset in the piece
   */
  record Refused(Refusal refusal) implements Outcome {}
}
