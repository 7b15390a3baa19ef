package tolvin.connectors.diagnosis;

import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import java.util.function.UnaryOperator;
import tolvin.core.diagnosis.CauseKind;
import tolvin.core.form.ExchangeFile;
import tolvin.core.pair.KeyPairMaker;

/** Mistakes on SSH servers of other kinds. */
final class OtherServerMistakes {
  private OtherServerMistakes() {}

  /** Those of OpenSSH that can be made there, some of which mean something else. */
  static List<Mistake> ofDropbear() {
    List<Mistake> all = new ArrayList<>();
    for (Mistake mistake : Mistake.ofServers()) {
      boolean can =
          !mistake.touches().contains("policy") || mistake.expected() == CauseKind.LOGIN_UNKNOWN;
      if (can) {
        all.add(
            switch (mistake.expected()) {
              case AUTHORITY_LINE, EXPIRED, WRONG_ADDRESS ->
                  mistake.meaning(CauseKind.LINE_OPTION); // it has no such options
              default -> mistake;
            });
      }
    }
    return all;
  }

  /** Neither hangs up after some keys, and ProFTPD knows none of hardware. */
  static List<Mistake> ofItsClients() {
    List<Mistake> all = Mistake.ofClients();
    all.removeIf(m -> m.touches().contains("type") || m.expected() == CauseKind.TOO_MANY_KEYS);
    return all;
  }

  /** It takes blocks, does not look at modes, and asks for a signature with whatever key. */
  static List<Mistake> ofProftpd() {
    List<Mistake> all = new ArrayList<>();
    Mistake.add(
        all,
        "the account does not exist there",
        CauseKind.LOGIN_UNKNOWN,
        "login lines",
        s -> s.accountExists = false);
    Mistake.add(
        all,
        "the key was never registered",
        CauseKind.NOT_REGISTERED,
        "lines",
        s -> s.bytes = Optional.of(FileGround.bytes(another())));
    Mistake.add(
        all,
        "the file of keys does not exist",
        CauseKind.NOT_REGISTERED,
        "lines",
        s -> s.fileName = "unrelated");
    Mistake.add(
        all,
        "a file extension too many",
        CauseKind.WRONG_FILE_NAME,
        "lines",
        s -> s.fileName = "authorized_keys.txt");
    Mistake.add(
        all,
        "the one-line form was appended as it is",
        CauseKind.OTHER_FORM,
        "lines",
        s -> s.bytes = Optional.of(FileGround.bytes(s.key().line("isla") + "\n")));
    Mistake.add(
        all,
        "the PEM form was appended as it is",
        CauseKind.OTHER_FORM,
        "lines",
        s -> s.bytes = Optional.of(FileGround.bytes(ServerMistakes.pem(s))));
    block(
        all, "its first line is missing", CauseKind.LINE_DAMAGED, b -> b.replaceFirst(".*\n", ""));
    block(
        all,
        "its last line is missing",
        CauseKind.LINE_DAMAGED,
        b -> b.replaceFirst("---- END.*\n", ""));
    block(
        all,
        "the end of the body was not copied",
        CauseKind.LINE_DAMAGED,
        b -> b.replaceFirst(".{9}\n---- END", "\n---- END"));
    block(
        all,
        "it was quoted in a reply",
        CauseKind.LINE_DAMAGED,
        b -> b.replaceAll("(?m)^(?=.)", "> "));
    block(
        all,
        "a byte-order mark before it",
        CauseKind.BYTE_ORDER_MARK,
        b -> "\u00ef\u00bb\u00bf" + b);
    Mistake.add(
        all,
        "an editor saved the file in UTF-16",
        CauseKind.BYTE_ORDER_MARK,
        "lines",
        s ->
            s.bytes =
                Optional.of(
                    ("\ufeff" + ExchangeFile.write(s.key(), "isla"))
                        .getBytes(StandardCharsets.UTF_16LE)));
    return all;
  }

  private static String another() {
    return ExchangeFile.write(KeyPairMaker.ed25519(Scene.RANDOM).key(), "tormod");
  }

  private static void block(
      List<Mistake> all, String name, CauseKind kind, UnaryOperator<String> change) {
    Mistake.add(
        all,
        "the key's block: " + name,
        kind,
        "lines",
        s ->
            s.bytes =
                Optional.of(FileGround.bytes(change.apply(ExchangeFile.write(s.key(), "isla")))));
  }
}
