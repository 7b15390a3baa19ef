package tolvin.connectors.diagnosis;

import java.nio.charset.StandardCharsets;
import java.time.Duration;
import java.time.Instant;
import java.util.List;
import java.util.Optional;
import tolvin.core.diagnosis.CauseKind;
import tolvin.core.form.DerKeys;
import tolvin.core.form.ExchangeFile;
import tolvin.core.form.Pem;
import tolvin.core.key.RefusedException;
import tolvin.core.pair.KeyPairMaker;
import tolvin.core.pair.OpenSshFile;

/** Mistakes on the server: logins, the file of keys, what the server allows. */
final class ServerMistakes {
  private ServerMistakes() {}

  static void addTo(List<Mistake> all) {
    logins(all);
    lines(all);
    policies(all);
  }

  private static void logins(List<Mistake> all) {
    Mistake.add(
        all,
        "another login in the client's configuration",
        CauseKind.WRONG_LOGIN,
        "login",
        s -> s.asUser = Optional.of("keeper"));
    Mistake.add(
        all,
        "the account does not exist there",
        CauseKind.LOGIN_UNKNOWN,
        "login lines modes policy",
        s -> s.accountExists = false);
    Mistake.add(
        all,
        "the login is denied",
        CauseKind.LOGIN_NOT_ALLOWED,
        "login policy",
        s -> s.tags.append("-deny"));
    Mistake.add(
        all,
        "the account's shell does not exist",
        CauseKind.LOGIN_NOT_ALLOWED,
        "login",
        s -> s.shell = Optional.of("/bin/none"));
    Mistake.add(
        all,
        "the server takes passwords only",
        CauseKind.KEYS_OFF,
        "policy",
        s -> s.tags.append("-keysoff"));
    Mistake.add(
        all,
        "the account wants key and password",
        CauseKind.PASSWORD_TOO,
        "policy",
        s -> s.tags.append("-both"));
  }

  private static void lines(List<Mistake> all) {
    line(all, "the key was never registered", CauseKind.NOT_REGISTERED, "# nobody yet\n");
    Mistake.add(
        all,
        "the file of keys does not exist",
        CauseKind.NOT_REGISTERED,
        "lines",
        s -> s.fileName = "unrelated");
    Mistake.add(
        all,
        "the key is on another account",
        CauseKind.WRONG_ACCOUNT,
        "lines",
        s -> {
          s.text = KeyPairMaker.ed25519(Scene.RANDOM).key().line() + "\n";
          s.otherAccounts = List.of("manifest@sftp.skerrymoor.example");
        });
    Mistake.add(
        all,
        "somebody overwrote the only slot",
        CauseKind.REPLACED,
        "lines",
        s -> {
          s.text = KeyPairMaker.ed25519(Scene.RANDOM).key().line() + "\n";
          s.placedAt = Optional.of(Instant.now().minus(Duration.ofDays(3)));
        });
    Mistake.add(
        all,
        "a mail program wrapped the line",
        CauseKind.LINE_WRAPPED,
        "lines",
        s -> s.text = s.key().line().replaceAll("(.{60})", "$1\n") + "\n");
    Mistake.add(
        all,
        "the line was wrapped and quoted in a reply",
        CauseKind.LINE_WRAPPED,
        "lines",
        s -> s.text = "> " + s.key().line().replaceAll("(.{60})", "$1\n> ") + "\n");
    Mistake.add(
        all,
        "a blank in the middle of the key",
        CauseKind.LINE_DAMAGED,
        "lines",
        s -> s.text = s.key().line().replaceAll("(.{50})", "$1 ") + "\n");
    Mistake.add(
        all,
        "the end of the key was not copied",
        CauseKind.LINE_DAMAGED,
        "lines",
        s -> s.text = s.key().line().substring(0, s.key().line().length() - 9) + "\n");
    Mistake.add(
        all,
        "the beginning of the key was not copied",
        CauseKind.LINE_DAMAGED,
        "lines",
        s -> s.text = s.key().line().substring(30) + " isla\n");
    Mistake.add(
        all,
        "one letter was typed wrong",
        CauseKind.LINE_DAMAGED,
        "lines",
        s -> {
          String line = s.key().line();
          int at = line.length() - 6;
          s.text =
              line.substring(0, at)
                  + (line.charAt(at) == 'x' ? 'y' : 'x')
                  + line.substring(at + 1)
                  + "\n";
        });
    line(all, "the type word is missing", CauseKind.LINE_DAMAGED, "KEY isla\n");
    line(all, "the type word is of another type", CauseKind.LINE_DAMAGED, "ssh-dss KEY isla\n");
    line(all, "a hard blank from a web page", CauseKind.LINE_DAMAGED, "WORD\u00c2\u00a0KEY isla\n");
    line(
        all,
        "a byte-order mark before the line",
        CauseKind.BYTE_ORDER_MARK,
        "\u00ef\u00bb\u00bfLINE\n");
    Mistake.add(
        all,
        "an editor saved the file in UTF-16",
        CauseKind.BYTE_ORDER_MARK,
        "lines",
        s ->
            s.bytes =
                Optional.of(
                    ("\ufeff" + s.key().line() + "\n").getBytes(StandardCharsets.UTF_16LE)));
    Mistake.add(
        all,
        "appended to a line without an end",
        CauseKind.LINES_GLUED,
        "lines",
        s -> s.text = KeyPairMaker.ed25519(Scene.RANDOM).key().line("old") + "LINE\n");
    line(all, "an option that does not exist", CauseKind.LINE_OPTION, "no-shell LINE\n");
    line(
        all, "an option whose value has no quotes", CauseKind.LINE_OPTION, "from=127.0.0.1 LINE\n");
    line(
        all,
        "a blank behind the comma of the options",
        CauseKind.LINE_OPTION,
        "restrict, pty LINE\n");
    line(all, "the line is commented out", CauseKind.LINE_COMMENTED_OUT, "#LINE\n");
    line(all, "cert-authority before the key", CauseKind.AUTHORITY_LINE, "cert-authority LINE\n");
    line(all, "the line has ended", CauseKind.EXPIRED, "expiry-time=\"20250101Z\" LINE\n");
    line(all, "from= names another address", CauseKind.WRONG_ADDRESS, "from=\"192.0.2.7\" LINE\n");
    Mistake.add(
        all,
        "the exchange file was appended as it is",
        CauseKind.OTHER_FORM,
        "lines",
        s -> s.bytes = Optional.of(ascii(ExchangeFile.write(s.key(), "isla"))));
    Mistake.add(
        all,
        "the PEM form was appended as it is",
        CauseKind.OTHER_FORM,
        "lines",
        s -> s.bytes = Optional.of(ascii(pem(s))));
    Mistake.add(
        all,
        "the private file was pasted instead of the public one",
        CauseKind.PRIVATE_HALF_REGISTERED,
        "lines",
        s ->
            s.bytes =
                Optional.of(
                    OpenSshFile.write(KeyPairMaker.ed25519(Scene.RANDOM), "", Scene.RANDOM)));
    Mistake.add(
        all,
        "a file extension too many",
        CauseKind.WRONG_FILE_NAME,
        "lines",
        s -> s.fileName = "authorized_keys.txt");
    Mistake.add(
        all,
        "the .pub file was copied beside instead of appended",
        CauseKind.WRONG_FILE_NAME,
        "lines",
        s -> s.fileName = "id_ed25519.pub");
    Mistake.add(
        all,
        "others can write the file of keys",
        CauseKind.OPEN_FILE,
        "modes",
        s -> s.fileMode = "rw-r--rw-");
    Mistake.add(
        all,
        "others can write its directory",
        CauseKind.OPEN_DIRECTORY,
        "modes",
        s -> s.directoryMode = "rwxr-xrwx");
    Mistake.add(
        all,
        "others can write the home directory",
        CauseKind.OPEN_HOME,
        "modes",
        s -> s.homeMode = "rwxrwxrwx");
    if (Mistake.ROOT) {
      Mistake.add(
          all,
          "the file of keys belongs to somebody else",
          CauseKind.FOREIGN_OWNER,
          "modes",
          s -> s.owner = Optional.of(1));
    }
  }

  private static void policies(List<Mistake> all) {
    Mistake.add(
        all,
        "the server does not allow the key's type",
        CauseKind.ALGORITHM_NOT_ALLOWED,
        "policy",
        s -> s.tags.append("-type"));
    Mistake.add(
        all,
        "an RSA key shorter than the server wants",
        CauseKind.KEY_TOO_SHORT,
        "policy type",
        s -> {
          s.pair = shortRsa();
          s.tags.append("-long");
        });
    Mistake.add(
        all,
        "the key was revoked",
        CauseKind.REVOKED,
        "policy type",
        s -> {
          s.pair = s.stage.revoked;
          s.tags.append("-revk");
        });
    Mistake.add(
        all,
        "the list of revoked keys is damaged",
        CauseKind.REVOCATION_LIST_DAMAGED,
        "policy",
        s -> s.tags.append("-badl"));
    Mistake.add(
        all,
        "the list of revoked keys is missing",
        CauseKind.REVOCATION_LIST_DAMAGED,
        "policy",
        s -> s.tags.append("-nolist"));
    Mistake.add(
        all,
        "the server reads keys from another file",
        CauseKind.OTHER_KEYS_FILE,
        "policy modes",
        s -> s.tags.append("-elsewhere"));
    Mistake.add(
        all,
        "the key was placed a moment ago and is still being copied",
        CauseKind.NOT_YET_EVERYWHERE,
        "policy modes",
        s -> {
          s.tags.append("-elsewhere");
          s.placedAt = Optional.of(Instant.now().minusSeconds(5));
          s.propagation = Duration.ofMinutes(10);
        });
  }

  private static tolvin.core.pair.SecretPair shortRsa() {
    try {
      java.security.KeyPairGenerator generator = java.security.KeyPairGenerator.getInstance("RSA");
      generator.initialize(2048);
      java.security.KeyPair pair = generator.generateKeyPair();
      return new tolvin.core.pair.SecretPair(
          DerKeys.readSpki(pair.getPublic().getEncoded()), pair.getPrivate().getEncoded());
    } catch (java.security.GeneralSecurityException | RefusedException e) {
      throw new IllegalStateException(e);
    }
  }

  static String pem(Scene s) {
    try {
      return Pem.write("PUBLIC KEY", DerKeys.writeSpki(s.key()));
    } catch (RefusedException hardware) {
      return ExchangeFile.write(s.key(), "isla");
    }
  }

  private static byte[] ascii(String text) {
    return text.getBytes(StandardCharsets.US_ASCII);
  }

  private static void line(List<Mistake> all, String name, CauseKind kind, String text) {
    Mistake.add(all, name, kind, "lines", s -> s.text = text);
  }
}
