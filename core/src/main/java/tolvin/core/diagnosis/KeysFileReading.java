package tolvin.core.diagnosis;

import java.nio.charset.StandardCharsets;
import java.time.Instant;
import java.time.format.DateTimeFormatter;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.Base64;
import java.util.Comparator;
import java.util.List;
import tolvin.core.authorized.Admission;
import tolvin.core.authorized.AuthorizedKeys;
import tolvin.core.authorized.KeyOptions;
import tolvin.core.authorized.ServerOptions;
import tolvin.core.diagnosis.Cause.Certainty;
import tolvin.core.form.Form;
import tolvin.core.intake.Intake;
import tolvin.core.intake.Item;
import tolvin.core.intake.Outcome;
import tolvin.core.key.Fingerprint;
import tolvin.core.key.PrivateKeyText;
import tolvin.core.key.PublicKey;
import tolvin.core.key.RefusedException;
import tolvin.core.server.KeysFormat;

/**
 * Looks for a key in a file of keys as sshd(8) reads it, and for what is left of it where a hand,
 * an editor or a mail program has been.
 */
final class KeysFileReading {
  private static final DateTimeFormatter MOMENT = DateTimeFormatter.ofPattern("uuuuMMddHHmmss");
  private static final String MARK = "\u00ef\u00bb\u00bf"; // UTF-8's, one character per byte
  private static final int TAIL = 24;

  private final Circumstances.KeysFile file;
  private final PublicKey key;
  private final String body;
  private final List<AuthorizedKeys.Line> lines;

  KeysFileReading(Circumstances.KeysFile file, PublicKey key) {
    this.file = file;
    this.key = key;
    this.body = Base64.getEncoder().encodeToString(key.blob());
    this.lines =
        file.content()
            .map(bytes -> AuthorizedKeys.of(bytes, file.server()).linesOf(key.fingerprint()))
            .orElse(List.of());
  }

  /** The keys that the server reads from files. */
  static List<Fingerprint> keys(List<Circumstances.KeysFile> files) {
    return files.stream()
        .flatMap(
            file ->
                AuthorizedKeys.of(file.content().orElse(new byte[0]), file.server())
                    .lines()
                    .stream())
        .flatMap(line -> line.key().stream())
        .map(PublicKey::fingerprint)
        .toList();
  }

  /** The file. */
  Circumstances.KeysFile file() {
    return file;
  }

  /** Whether the server reads the key from a line of it. */
  boolean hasLine() {
    return !lines.isEmpty();
  }

  /** What is wrong with the file or the key's line. */
  List<Cause> causes(Instant now) {
    if (hasLine()) {
      return lines.stream()
          .map(line -> ofLine(line, now))
          .min(Comparator.comparing(KeysFileReading::weight)) // no line hides one that lets it in
          .orElseThrow();
    }
    List<Cause> causes = new ArrayList<>();
    file.crowded().entrySet().stream()
        .filter(other -> holds(other.getValue()))
        .forEach(
            other ->
                causes.add(
                    certain(
                        CauseKind.SEVERAL_IN_A_FILE,
                        "The key stands in a file with other lines, which is ignored as a whole.",
                        other.getKey() + " holds several lines.")));
    if (file.content().isEmpty()) {
      elsewhere(causes);
      return causes;
    }
    byte[] bytes = file.content().get();
    String text = new String(bytes, StandardCharsets.ISO_8859_1);
    PrivateKeyText.recognise(bytes)
        .ifPresent(
            kind ->
                causes.add(
                    certain(
                        CauseKind.PRIVATE_HALF_REGISTERED,
                        "A private key was put into the file of public keys.",
                        file.path() + " holds a private key (" + kind + ").")));
    if (text.startsWith("\u00ff\u00fe") || text.startsWith("\u00fe\u00ff")) {
      causes.add(
          certain(
              CauseKind.BYTE_ORDER_MARK,
              "An editor saved the file in UTF-16, which the server does not read.",
              file.path() + " begins with the bytes of a byte-order mark."));
    } else if (file.server().format() == KeysFormat.BLOCKS) {
      inBlocks(bytes, text, causes);
    } else if (text.contains("PUBLIC KEY-----") || text.contains("PUBLIC KEY ----")) {
      otherForm(bytes, causes);
    } else if (text.contains(body)) {
      causes.add(spoiled(text));
    } else if (text.replaceAll("[\\s>\\u00a0]", "").contains(body)) {
      causes.add(pieces(text));
    } else if (resembles(text)) {
      causes.add(part());
    }
    elsewhere(causes);
    return causes;
  }

  /** A server that takes blocks reads no key from any of them. */
  private void inBlocks(byte[] bytes, String text, List<Cause> causes) {
    String joined = text.replaceAll("[\\s>]", "");
    if (text.startsWith(MARK) && holds(Arrays.copyOfRange(bytes, MARK.length(), bytes.length))) {
      causes.add(
          certain(
              CauseKind.BYTE_ORDER_MARK,
              "An editor put a byte-order mark before the first block, so the server does not read"
                  + " it.",
              file.path() + " begins with the bytes of a byte-order mark."));
    } else if (!AuthorizedKeys.of(bytes).linesOf(key.fingerprint()).isEmpty()) {
      causes.add(
          certain(
              CauseKind.OTHER_FORM,
              "The key stands in the file as a line, and this server takes keys as blocks (RFC 4716).",
              file.path() + " holds it as a line of authorized_keys."));
    } else if (text.contains("PUBLIC KEY-----")) {
      otherForm(bytes, causes);
    } else if (joined.contains(body)) {
      String why =
          AuthorizedKeys.of(bytes, file.server()).lines().stream()
              .map(AuthorizedKeys.Line::admission)
              .filter(admission -> admission.kind() == Admission.Kind.IGNORED)
              .map(Admission::why)
              .findFirst()
              .orElse("it is not what RFC 4716 says");
      causes.add(
          certain(
              CauseKind.LINE_DAMAGED,
              "The key's block cannot be read: " + why + ".",
              file.path() + " holds the key's body, but no block that the server reads."));
    } else if (resembles(joined)) {
      causes.add(part());
    }
  }

  /** The body is whole, but the server reads no key from its line. */
  private Cause spoiled(String text) {
    int at = text.indexOf(body);
    int start = text.lastIndexOf('\n', at) + 1;
    int end = text.indexOf('\n', at);
    String line = text.substring(start, end < 0 ? text.length() : end);
    String before = line.substring(0, at - start);
    int number = (int) text.substring(0, start).chars().filter(c -> c == '\n').count() + 1;
    String where = "Line " + number + " of " + file.path();
    if (before.strip().startsWith("#")) {
      return certain(
          CauseKind.LINE_COMMENTED_OUT,
          "The key's line is commented out.",
          where + " begins with #.");
    }
    if (line.startsWith(MARK)
        || text.startsWith("\u00ff\u00fe")
        || text.startsWith("\u00fe\u00ff")) {
      return certain(
          CauseKind.BYTE_ORDER_MARK,
          "An editor put a byte-order mark before the first line, so the server does not read it.",
          where + " begins with the bytes of a byte-order mark.");
    }
    if (before.strip().contains("AAAA")) {
      return certain(
          CauseKind.LINES_GLUED,
          "The key was appended to a line that had no line end, so it counts as that line's"
              + " comment.",
          where + " holds two keys.");
    }
    String options = before.strip();
    int word = options.lastIndexOf(' ');
    if (options.endsWith(key.type().word()) && word > 0) {
      try {
        KeyOptions.read(options.substring(0, word).strip());
      } catch (RefusedException e) {
        return certain(
            CauseKind.LINE_OPTION,
            "The server ignores the key's line: " + e.refusal().sentence(),
            where + " has options before the key.");
      }
    }
    return certain(
        CauseKind.LINE_DAMAGED,
        options.isEmpty()
            ? "The key's line has no type word before its body."
            : "The key's line cannot be read: what stands before or behind its body does not fit.",
        where + " holds the key's body, but is no key line.");
  }

  private void otherForm(byte[] bytes, List<Cause> causes) {
    for (Item item : Intake.read(bytes)) {
      if (item.outcome() instanceof Outcome.Key read && read.key().equals(key)) {
        causes.add(
            certain(
                CauseKind.OTHER_FORM,
                "The key stands in the file in a form that this server does not read.",
                file.path() + " holds it as " + item.form().map(Form::label).orElse("?") + "."));
        return;
      }
    }
  }

  /** The body is there, in pieces. */
  private Cause pieces(String text) {
    boolean wrapped =
        text.replaceAll("[ \\t>\\u00a0]", "").lines().noneMatch(l -> l.contains(body));
    return wrapped
        ? certain(
            CauseKind.LINE_WRAPPED,
            "The key was broken over several lines, by an editor or a mail program.",
            "Put together, lines of " + file.path() + " give the key.")
        : certain(
            CauseKind.LINE_DAMAGED,
            "Blanks stand inside the key's body.",
            "Without its blanks, a line of " + file.path() + " gives the key.");
  }

  private Cause part() {
    return certain(
        CauseKind.LINE_DAMAGED,
        "A part of the key stands in the file, but not the whole.",
        "Something in "
            + file.path()
            + " shares a long part with the key and differs in the rest.");
  }

  /** Whether a text shares most of the key's body. */
  private boolean resembles(String text) {
    if (text.contains(body.substring(body.length() - TAIL))
        || text.contains(body.substring(0, body.length() - TAIL))) {
      return true;
    }
    int common = body.length() - 43; // what all Ed25519 keys share stands before their last 43
    for (int from = Math.max(0, common); from + TAIL <= body.length(); from += 8) {
      if (text.contains(body.substring(from, from + TAIL))) {
        return true;
      }
    }
    return false;
  }

  private boolean holds(byte[] bytes) {
    return !AuthorizedKeys.of(bytes, file.server()).linesOf(key.fingerprint()).isEmpty();
  }

  private void elsewhere(List<Cause> causes) {
    file.neighbours()
        .forEach(
            (name, bytes) -> {
              if (holds(bytes)) {
                causes.add(
                    certain(
                        CauseKind.WRONG_FILE_NAME,
                        "The key stands in a file that the server does not read.",
                        "The key's line is in " + name + ", not in " + file.path() + "."));
              }
            });
  }

  private List<Cause> ofLine(AuthorizedKeys.Line line, Instant now) {
    List<Cause> causes = new ArrayList<>();
    Admission admission = line.admission();
    if (!admission.mayLetIn()) {
      causes.add(
          certain(
              CauseKind.LINE_OPTION,
              "The server ignores the key's line: " + admission.why(),
              "The options are: " + shown(line.options())));
      return causes;
    }
    if (admission.kind() == Admission.Kind.DOUBTFUL) {
      causes.add(
          new Cause(
              CauseKind.LINE_OPTION,
              Certainty.LIKELY,
              "The server ignores the key's line if it does not know one of its options.",
              List.of("The options are: " + shown(line.options()))));
    }
    if (admission.kind() == Admission.Kind.AUTHORITY) {
      causes.add(
          certain(
              CauseKind.AUTHORITY_LINE,
              "The key's line makes it an authority for certificates instead of letting it in.",
              "The options are: " + shown(line.options())));
    }
    admission
        .read()
        .flatMap(ServerOptions::end)
        .filter(end -> !now.isBefore(end))
        .ifPresent(
            end ->
                causes.add(
                    certain(
                        CauseKind.EXPIRED,
                        "The key's line ended at " + end + ".",
                        "Its options are: "
                            + shown(line.options())
                            + ", and it is "
                            + now
                            + " now.")));
    return causes;
  }

  /** How much is wrong with a line. */
  static int weight(List<Cause> causes) {
    return causes.stream()
        .mapToInt(cause -> cause.certainty() == Certainty.CERTAIN ? 2 : 1)
        .max()
        .orElse(0);
  }

  private static String shown(String options) {
    String plain = tolvin.core.key.PlainText.shown(options.strip());
    return plain.length() > 200 ? plain.substring(0, 200) + "…" : plain;
  }

  private static Cause certain(CauseKind kind, String sentence, String evidence) {
    return new Cause(kind, Certainty.CERTAIN, sentence, List.of(evidence));
  }
}
