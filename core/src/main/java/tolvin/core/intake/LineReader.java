package tolvin.core.intake;

import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.EnumSet;
import java.util.List;
import java.util.Optional;
import java.util.Set;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import tolvin.core.authorized.KeyOptions;
import tolvin.core.form.DerKeys;
import tolvin.core.form.Form;
import tolvin.core.key.Base64Text;
import tolvin.core.key.FingerprintText;
import tolvin.core.key.KeyNumbers;
import tolvin.core.key.KeyType;
import tolvin.core.key.OneLine;
import tolvin.core.key.OtherTypes;
import tolvin.core.key.PlainText;
import tolvin.core.key.PrivateKeyText;
import tolvin.core.key.PublicBlob;
import tolvin.core.key.PublicKey;
import tolvin.core.key.Reading;
import tolvin.core.key.Refusal;
import tolvin.core.key.Refusal.Reason;
import tolvin.core.key.RefusedException;
import tolvin.core.proof.KeyCertificate;

/** Reads one logical line: a key line with or without options, a certificate, a bare body. */
final class LineReader {
  private static final Pattern SECOND_KEY =
      Pattern.compile("(?:^|\\s)([a-z0-9@.-]+ AAAA[A-Za-z0-9+/=]+)(?=\\s|$)");
  private static final int RAW_POINT = 32;
  private static final int BARE_POINT = 43; // characters of 32 bytes without padding

  /** What begins a line of known_hosts for sure: a hashed name, a port (sshd(8)). */
  private static final Pattern HOST_LINE =
      Pattern.compile(
          "\\|1\\|[A-Za-z0-9+/]{27}=\\|[A-Za-z0-9+/]{27}=|\\[[^\\],\"]+\\]:\\d{1,5}(,\\S+)?");

  private static final Refusal HOST_KEY =
      new Refusal(
          Reason.OTHER_FORM,
          "This is a line of known_hosts: the key is a server's host key, not a key to register.",
          "Confirm it at its destination, or ask for the key of the account that signs in.",
          0);
  private static final byte SEQUENCE = 0x30; // with it every DER form starts

  private LineReader() {}

  /**
   * What was read.
   *
   * @param form the notation, if one was recognised
   * @param outcome what it turned out to be
   * @param corrections what was put right
   */
  record Read(Optional<Form> form, Outcome outcome, Set<Correction> corrections) {
    static Read key(Form form, PublicKey key, String comment, Set<Correction> corrections) {
      return new Read(
          Optional.of(form), new Outcome.Key(key, comment, KeyOptions.NONE), corrections);
    }

    static Read refused(Refusal refusal) {
      return new Read(Optional.empty(), new Outcome.Refused(refusal), Set.of());
    }

    /** Whether it is something, or a question what it is. */
    boolean isFound() {
      return !(outcome instanceof Outcome.Refused);
    }

    /** Whether there is nothing in it that could be meant as a key. */
    boolean isStray() {
      return outcome instanceof Outcome.Refused refused
          && refused.refusal().reason() == Reason.NO_KEY;
    }

    /** Whether more text might make a key of it. */
    boolean wantsMore() {
      return outcome instanceof Outcome.Refused refused
          && switch (refused.refusal().reason()) {
            case CUT_SHORT, WRAPPED, BAD_BASE64, OTHER_SPELLING, LEFT_OVER -> true;
            default -> false;
          };
    }
  }

  /** Reads a line without blanks around it. */
  static Read read(String line) {
    if (line.length() > OneLine.MAX_TEXT) {
      return Read.refused(
          new Refusal(
              Reason.TOO_LARGE,
              "The line has " + line.length() + " characters; no key is that long.",
              "Give the .pub file itself.",
              0));
    }
    byte[] bytes = line.getBytes(StandardCharsets.UTF_8);
    Reading plain = OneLine.readLine(bytes, 0, bytes.length);
    if (plain instanceof Reading.Key key) {
      return whole(Form.ONE_LINE, key, KeyOptions.NONE, Set.of());
    }
    Optional<Respelled> respelled = Respelled.of(line);
    if (respelled.isPresent()) {
      return whole(
          Form.ONE_LINE, respelled.get().key(), KeyOptions.NONE, respelled.get().corrections());
    }
    String word = firstWord(line);
    if (KeyType.ofWord(word).isPresent()) {
      return Read.refused(((Reading.Refused) plain).refusal());
    }
    if (KeyCertificate.isTypeWord(word)) {
      return certificate(line, word);
    }
    return withOptions(line)
        .or(() -> bare(line, word))
        .or(() -> OtherTypes.of(line).map(Read::refused))
        .orElseGet(() -> Read.refused(noKey(line)));
  }

  private static Read whole(
      Form form, Reading.Key read, KeyOptions options, Set<Correction> corrections) {
    PublicKey key = read.key();
    String comment = read.comment();
    Matcher second = SECOND_KEY.matcher(comment);
    if (second.find()
        && OneLine.read(second.group(1)) instanceof Reading.Key other
        && !other.key().equals(key)) {
      return new Read(
          Optional.of(form),
          new Outcome.Question(
              "Behind the key stands another one. Which is meant?",
              List.of(
                  new Outcome.Choice("the first, " + key, key.line()),
                  new Outcome.Choice(
                      "the second, " + other.key(), comment.substring(second.start(1))))),
          corrections);
    }
    return new Read(Optional.of(form), new Outcome.Key(key, comment, options), corrections);
  }

  private static Read certificate(String line, String word) {
    try {
      String rest = line.substring(word.length()).strip();
      String body = firstWord(rest);
      KeyCertificate certificate = KeyCertificate.read(Base64Text.decode(body));
      if (!certificate.typeWord().equals(word)) {
        throw new RefusedException(
            Reason.TYPE_MISMATCH,
            "The line says " + word + ", but its body is another kind of certificate.",
            "Copy the line again.",
            0);
      }
      String comment = PlainText.shown(rest.substring(body.length()).strip());
      return new Read(
          Optional.of(Form.OPENSSH_CERTIFICATE),
          new Outcome.Certificate(certificate, comment),
          Set.of());
    } catch (RefusedException refused) {
      return Read.refused(refused.refusal());
    }
  }

  /** A line whose key stands behind something: options, or what only looks like them. */
  private static Optional<Read> withOptions(String line) {
    if (line.startsWith("@cert-authority ") || line.startsWith("@revoked ")) {
      return Optional.of(Read.refused(HOST_KEY)); // the markers of known_hosts
    }
    int end = KeyOptions.endOf(line, 0);
    String rest = line.substring(end).strip();
    if (rest.isEmpty()) {
      return Optional.empty();
    }
    Reading reading = OneLine.read(rest);
    Optional<Respelled> respelled =
        reading instanceof Reading.Key ? Optional.empty() : Respelled.of(rest);
    if (respelled.isEmpty() && KeyType.ofWord(firstWord(rest)).isEmpty()) {
      return OtherTypes.of(rest).map(Read::refused);
    }
    String before = line.substring(0, end);
    if (HOST_LINE.matcher(before).matches()) {
      return Optional.of(Read.refused(HOST_KEY));
    }
    reading = respelled.<Reading>map(Respelled::key).orElse(reading);
    if (!(reading instanceof Reading.Key key)) {
      Refusal inner = ((Reading.Refused) reading).refusal();
      int position = inner.position() < 0 ? -1 : inner.position() + line.indexOf(rest, end);
      return Optional.of(
          Read.refused(new Refusal(inner.reason(), inner.sentence(), inner.remedy(), position)));
    }
    try {
      return Optional.of(
          whole(
              Form.AUTHORIZED_KEYS,
              key,
              KeyOptions.read(before),
              respelled.map(Respelled::corrections).orElse(Set.of())));
    } catch (RefusedException bad) {
      boolean oneName = before.matches("[^=\",\\s]+(,[^=\",\\s]+)*");
      return Optional.of(oneName ? whatIsTheName(before, key) : Read.refused(bad.refusal()));
    }
  }

  private static Read whatIsTheName(String name, Reading.Key key) {
    String shown = PlainText.isPlain(name) && name.length() <= 80 ? " “" + name + "”" : "";
    return new Read(
        Optional.empty(),
        new Outcome.Question(
            "The word" + shown + " before the key is no option that a server knows. What is it?",
            List.of(
                new Outcome.Choice(
                    "a name that belongs to the key: take the key, with the name as its comment",
                    key.key().line(key.comment().isEmpty() ? name : key.comment())),
                new Outcome.Choice(
                    "a host, as in known_hosts: then it is a server's host key, not a key to"
                        + " register",
                    ""),
                new Outcome.Choice(
                    "a mistyped option: correct it and take the line in again", ""))),
        Set.of());
  }

  /** A base64 body without a type word before it. */
  private static Optional<Read> bare(String line, String word) {
    if (word.length() < 40 && !word.startsWith("AAAA") || !isBody(word)) {
      return Optional.empty();
    }
    String comment = PlainText.shown(line.substring(word.length()).strip());
    Set<Correction> corrections = EnumSet.noneOf(Correction.class);
    String spelled = word;
    if (word.startsWith("AAAA") || word.startsWith("M")) { // these say how long they are
      int digits = word.length();
      while (digits > 0 && word.charAt(digits - 1) == '=') {
        digits--;
      }
      spelled = Respelled.body(word.substring(0, digits), word.substring(digits), corrections);
    } else if (word.length() == BARE_POINT) {
      spelled = word + '=';
    }
    if (!isBase64(spelled)) {
      return Optional.empty();
    }
    try {
      byte[] body = Base64Text.decode(spelled);
      if (PrivateKeyText.recognise(body).isPresent()) {
        return Optional.of(Read.refused(PrivateKeyText.refusal("bare base64")));
      }
      if (body.length == RAW_POINT) {
        return Optional.of(rawPoint(body));
      }
      if (body.length > 0 && body[0] == SEQUENCE) {
        return Optional.of(
            Read.key(Form.BARE_BASE64, DerKeys.read(body).key(), comment, corrections));
      }
      if (word.startsWith("AAAA")) {
        PublicKey key = PublicBlob.read(body);
        corrections.add(Correction.TYPE_WORD);
        return Optional.of(Read.key(Form.BARE_BASE64, key, comment, corrections));
      }
      return Optional.empty();
    } catch (RefusedException refused) {
      return Optional.of(Read.refused(refused.refusal()));
    }
  }

  private static Read rawPoint(byte[] body) {
    Outcome.Choice digest =
        new Outcome.Choice("a SHA-256 fingerprint: then compare it, it is no key", "");
    List<Outcome.Choice> choices = new ArrayList<>();
    try {
      PublicKey key = new KeyNumbers.Edwards25519(body).key();
      choices.add(new Outcome.Choice("the bare 32 bytes of an Ed25519 key, " + key, key.line()));
    } catch (RefusedException noPoint) {
      return Read.refused(
          new Refusal(
              Reason.NO_KEY,
              "These 32 bytes are no Ed25519 key; they may be a fingerprint or another kind of key.",
              "Ask for the whole line of the .pub file, with its type word.",
              0));
    }
    choices.add(digest);
    choices.add(new Outcome.Choice("another kind of key, which SSH does not sign in with", ""));
    return new Read(
        Optional.of(Form.BARE_BASE64),
        new Outcome.Question("These are 32 bytes without a word of what they are.", choices),
        Set.of());
  }

  private static Refusal noKey(String line) {
    if (FingerprintText.isFingerprint(line)) {
      return new Refusal(
          Reason.NO_KEY,
          "This is a fingerprint, not a key.",
          "Compare it with a key, or ask for the .pub file.",
          0);
    }
    return new Refusal(
        Reason.NO_KEY,
        "There is no key in this.",
        "Paste the line of a .pub file, which starts with a word such as ssh-ed25519 or ssh-rsa.",
        0);
  }

  static String firstWord(String text) {
    int end = 0;
    while (end < text.length() && !isBlank(text.charAt(end))) {
      end++;
    }
    return text.substring(0, end);
  }

  static boolean isBase64(String word) {
    return !word.isEmpty() && word.chars().allMatch(c -> Base64Text.isDigit((char) c));
  }

  /** Whether a word may be a body, in either of the two alphabets. */
  static boolean isBody(String word) {
    return isBase64(word.replace('-', '+').replace('_', '/'));
  }

  private static boolean isBlank(char c) {
    return c == ' ' || c == '\t';
  }
}
