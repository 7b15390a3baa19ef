package tolvin.connectors.diagnosis;

import java.nio.charset.StandardCharsets;
import java.time.Duration;
import java.time.Instant;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.Optional;
import java.util.function.Consumer;
import tolvin.core.diagnosis.CauseKind;
import tolvin.core.form.DerKeys;
import tolvin.core.form.ExchangeFile;
import tolvin.core.form.Pem;
import tolvin.core.key.KeyType;
import tolvin.core.key.RefusedException;
import tolvin.core.pair.HardwareHandle;
import tolvin.core.pair.KeyPairMaker;
import tolvin.core.pair.OpenSshFile;
import tolvin.standins.local.Ports;
import tolvin.standins.securitykey.Device;

/**
 * A mistake that people make, how it comes about on the stage, and what must be said first.
 *
 * @param name in words
 * @param expected the first cause
 * @param touches what of a scene it changes; two mistakes go together if these differ
 * @param provoke makes it
 */
record Mistake(String name, CauseKind expected, String touches, Consumer<Scene> provoke) {
  private static final boolean ROOT = "root".equals(System.getProperty("user.name"));

  @Override
  public String toString() {
    return name;
  }

  static List<Mistake> all() {
    List<Mistake> all = new ArrayList<>();
    reaching(all);
    logins(all);
    clientFiles(all);
    agentsAndDevices(all);
    lines(all);
    policies(all);
    return all;
  }

  private static void reaching(List<Mistake> all) {
    add(
        all,
        "a host name that nobody knows",
        CauseKind.NAME_UNKNOWN,
        "way",
        s -> s.toHost = Optional.of("nowhere.invalid"));
    add(
        all,
        "the server does not run",
        CauseKind.UNREACHABLE,
        "way",
        s -> s.recordedPort = Optional.of(free()));
    add(
        all,
        "the client's port is wrong, and nothing listens there",
        CauseKind.WRONG_PLACE,
        "way",
        s -> s.toPort = Optional.of(free()));
    add(
        all,
        "the client's port leads to another server",
        CauseKind.WRONG_PLACE,
        "way",
        s -> s.toPort = Optional.of(s.stage.other.port()));
    add(
        all,
        "the server's host key was changed",
        CauseKind.HOST_KEY_CHANGED,
        "way",
        s -> {
          s.pinned = List.of(s.stage.other.hostKey());
          s.knownHostKey = Optional.of(s.stage.other.hostKey());
        });
    add(
        all,
        "the client remembers a former host key",
        CauseKind.HOST_KEY_OLD_AT_CLIENT,
        "way",
        s -> s.knownHostKey = Optional.of(s.stage.other.hostKey()));
    add(
        all,
        "the client knows no host key, nobody compared one",
        CauseKind.HOST_KEY_UNKNOWN,
        "way",
        s -> s.knownHostKey = Optional.empty());
    add(
        all,
        "client and server are years apart",
        CauseKind.NO_COMMON_ALGORITHM,
        "way",
        s -> s.options.add("KexAlgorithms=diffie-hellman-group1-sha1"));
  }

  private static void logins(List<Mistake> all) {
    add(
        all,
        "another login in the client's configuration",
        CauseKind.WRONG_LOGIN,
        "login",
        s -> s.asUser = Optional.of("keeper"));
    add(
        all,
        "the account does not exist there",
        CauseKind.LOGIN_UNKNOWN,
        "login lines modes policy",
        s -> s.accountExists = false);
    add(
        all,
        "the login is denied",
        CauseKind.LOGIN_NOT_ALLOWED,
        "login policy",
        s -> s.tags.append("-deny"));
    add(
        all,
        "the account's shell does not exist",
        CauseKind.LOGIN_NOT_ALLOWED,
        "login",
        s -> s.shell = Optional.of("/bin/none"));
    add(
        all,
        "the server takes passwords only",
        CauseKind.KEYS_OFF,
        "policy",
        s -> s.tags.append("-keysoff"));
    add(
        all,
        "the account wants key and password",
        CauseKind.PASSWORD_TOO,
        "policy",
        s -> s.tags.append("-both"));
  }

  private static void clientFiles(List<Mistake> all) {
    add(
        all,
        "the private file is not where the client looks",
        CauseKind.CLIENT_FILE_MISSING,
        "client",
        s -> s.identity = Optional.of("id_rsa.bak"));
    add(
        all,
        "only the public file was copied to the machine",
        CauseKind.CLIENT_FILE_MISSING,
        "client",
        s -> {
          s.privateFile = new byte[0];
          s.publicBeside = Optional.of(s.key());
        });
    add(
        all,
        "others can read the private file",
        CauseKind.CLIENT_FILE_OPEN,
        "client",
        s -> s.privateMode = "rw-r--r--");
    if (!ROOT) {
      add(
          all,
          "the client may not read the private file",
          CauseKind.CLIENT_FILE_UNREADABLE,
          "client",
          s -> s.privateMode = "---------");
    }
    add(
        all,
        "the public file is named as the private one",
        CauseKind.CLIENT_FILE_PUBLIC,
        "client",
        s -> {
          s.publicBeside = Optional.of(s.key());
          s.identity = Optional.of("id.pub");
        });
    add(
        all,
        "the private file was cut while copying",
        CauseKind.CLIENT_FILE_DAMAGED,
        "client",
        s -> {
          byte[] whole = OpenSshFile.write(s.pair, "", Scene.RANDOM);
          s.privateFile = Arrays.copyOf(whole, whole.length / 2);
        });
    add(
        all,
        "an old .pub file lies beside the new private file",
        CauseKind.STALE_PUBLIC_FILE,
        "client",
        s -> s.publicBeside = Optional.of(KeyPairMaker.ed25519(Scene.RANDOM).key()));
    add(
        all,
        "the .pub file was registered, but the private file is of another key",
        CauseKind.STALE_PUBLIC_FILE,
        "client",
        s -> {
          s.publicBeside = Optional.of(s.key());
          s.privateFile = OpenSshFile.write(KeyPairMaker.ed25519(Scene.RANDOM), "", Scene.RANDOM);
        });
    add(
        all,
        "a passphrase, and a job in the night that cannot type it",
        CauseKind.PASSPHRASE,
        "client",
        s -> s.passphrase = Optional.of("tide table"));
    add(
        all,
        "the passphrase is forgotten",
        CauseKind.PASSPHRASE,
        "client",
        s -> {
          s.passphrase = Optional.of("tide table");
          s.environment.put("SSH_ASKPASS", "/bin/echo");
          s.environment.put("SSH_ASKPASS_REQUIRE", "force");
        });
    add(
        all,
        "the client offers the wrong key of five",
        CauseKind.KEY_NOT_OFFERED,
        "client",
        s -> {
          for (int i = 0; i < 4; i++) {
            s.offeredBefore.add(KeyPairMaker.ed25519(Scene.RANDOM));
          }
          s.identity = Optional.of("");
        });
    add(
        all,
        "seven other keys are offered first",
        CauseKind.TOO_MANY_KEYS,
        "client",
        s -> {
          for (int i = 0; i < 7; i++) {
            s.offeredBefore.add(KeyPairMaker.ed25519(Scene.RANDOM));
          }
        });
    add(
        all,
        "the client forbids the key's type",
        CauseKind.CLIENT_ALGORITHM,
        "client",
        s -> s.options.add("PubkeyAcceptedAlgorithms=rsa-sha2-512"));
  }

  private static void agentsAndDevices(List<Mistake> all) {
    add(
        all,
        "the agent has gone",
        CauseKind.AGENT_SILENT,
        "client",
        s -> {
          s.privateFile = new byte[0];
          s.identity = Optional.of("");
          s.options.add("IdentitiesOnly=no");
          s.options.add("IdentityFile=none");
          s.environment.put("SSH_AUTH_SOCK", s.stage.directory.resolve("gone").toString());
        });
    add(
        all,
        "the agent holds another key",
        CauseKind.KEY_NOT_OFFERED,
        "client",
        s -> {
          s.privateFile = new byte[0];
          byAgent(s);
          s.stage.addToAgent(KeyPairMaker.ed25519(Scene.RANDOM), "-t", "20");
        });
    add(
        all,
        "the agent asks for a yes, and nobody says it",
        CauseKind.AGENT_REFUSED,
        "client type",
        s -> {
          s.publicBeside = Optional.of(s.key());
          s.privateFile = new byte[0];
          s.environment.put("SSH_AUTH_SOCK", s.stage.agent().toString());
          s.identity = Optional.of("id.pub");
          s.stage.addToAgent(s.pair, "-c", "-t", "20");
        });
    add(
        all,
        "the security key is not plugged in",
        CauseKind.DEVICE_UNPLUGGED,
        "client type",
        s -> {
          s.hardware(KeyType.SK_ED25519, HardwareHandle.TOUCH);
          s.stage.device.plugged(false);
        });
    add(
        all,
        "another security key is plugged in: a stolen file",
        CauseKind.DEVICE_UNPLUGGED,
        "client type",
        s -> {
          s.hardware(KeyType.SK_ECDSA_P256, HardwareHandle.TOUCH);
          s.environment.put("SSH_SK_HELPER", s.stage.foreign.helper().toString());
        });
    add(
        all,
        "nobody touches the security key",
        CauseKind.DEVICE_NOT_TOUCHED,
        "client type",
        s -> {
          s.hardware(KeyType.SK_ED25519, HardwareHandle.TOUCH);
          s.stage.device.finger(Device.Finger.AWAY);
        });
    add(
        all,
        "nobody touches the security key behind an agent",
        CauseKind.DEVICE_REFUSED,
        "client type",
        s -> {
          s.hardware(KeyType.SK_ED25519, HardwareHandle.TOUCH);
          s.stage.plugged.add(s.handle.orElseThrow());
          s.privateFile = new byte[0];
          s.identity = Optional.of("");
          s.options.add("IdentitiesOnly=no");
          s.options.add("IdentityFile=none");
          s.environment.put("SSH_AUTH_SOCK", s.stage.plugged.agent().toString());
          s.stage.device.finger(Device.Finger.REFUSES);
        });
    add(
        all,
        "the security key wants its PIN, and nobody can type it",
        CauseKind.DEVICE_PIN,
        "client type",
        s -> s.hardware(KeyType.SK_ED25519, HardwareHandle.TOUCH | HardwareHandle.VERIFICATION));
    add(
        all,
        "the server wants a touch that the key does not ask for",
        CauseKind.TOUCH_WANTED,
        "type",
        s -> s.hardware(KeyType.SK_ED25519, 0));
    add(
        all,
        "the server wants a PIN that the key does not ask for",
        CauseKind.PIN_WANTED,
        "type policy",
        s -> {
          s.hardware(KeyType.SK_ECDSA_P256, HardwareHandle.TOUCH);
          s.tags.append("-pin");
        });
  }

  private static void byAgent(Scene s) {
    s.identity = Optional.of("");
    s.options.add("IdentitiesOnly=no");
    s.options.add("IdentityFile=none");
    s.environment.put("SSH_AUTH_SOCK", s.stage.agent().toString());
  }

  private static void lines(List<Mistake> all) {
    line(all, "the key was never registered", CauseKind.NOT_REGISTERED, "# nobody yet\n");
    add(
        all,
        "the file of keys does not exist",
        CauseKind.NOT_REGISTERED,
        "lines",
        s -> s.fileName = "unrelated");
    add(
        all,
        "the key stands on another account",
        CauseKind.WRONG_ACCOUNT,
        "lines",
        s -> {
          s.text = KeyPairMaker.ed25519(Scene.RANDOM).key().line() + "\n";
          s.otherAccounts = List.of("manifest@sftp.skerrymoor.example");
        });
    add(
        all,
        "somebody overwrote the only slot",
        CauseKind.REPLACED,
        "lines",
        s -> {
          s.text = KeyPairMaker.ed25519(Scene.RANDOM).key().line() + "\n";
          s.placedAt = Optional.of(Instant.now().minus(Duration.ofDays(3)));
        });
    add(
        all,
        "a mail program wrapped the line",
        CauseKind.LINE_WRAPPED,
        "lines",
        s -> s.text = s.key().line().replaceAll("(.{60})", "$1\n") + "\n");
    add(
        all,
        "the line was wrapped and quoted in a reply",
        CauseKind.LINE_WRAPPED,
        "lines",
        s -> s.text = "> " + s.key().line().replaceAll("(.{60})", "$1\n> ") + "\n");
    add(
        all,
        "a blank in the middle of the key",
        CauseKind.LINE_DAMAGED,
        "lines",
        s -> s.text = s.key().line().replaceAll("(.{50})", "$1 ") + "\n");
    add(
        all,
        "the end of the key was not copied",
        CauseKind.LINE_DAMAGED,
        "lines",
        s -> s.text = s.key().line().substring(0, s.key().line().length() - 9) + "\n");
    add(
        all,
        "the beginning of the key was not copied",
        CauseKind.LINE_DAMAGED,
        "lines",
        s -> s.text = s.key().line().substring(30) + " isla\n");
    add(
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
    add(
        all,
        "an editor saved the file in UTF-16",
        CauseKind.BYTE_ORDER_MARK,
        "lines",
        s ->
            s.bytes =
                Optional.of(
                    ("\ufeff" + s.key().line() + "\n").getBytes(StandardCharsets.UTF_16LE)));
    add(
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
    add(
        all,
        "the exchange file was appended as it is",
        CauseKind.OTHER_FORM,
        "lines",
        s -> s.bytes = Optional.of(ascii(ExchangeFile.write(s.key(), "isla"))));
    add(
        all,
        "the PEM form was appended as it is",
        CauseKind.OTHER_FORM,
        "lines",
        s -> s.bytes = Optional.of(ascii(pem(s))));
    add(
        all,
        "the private file was pasted instead of the public one",
        CauseKind.PRIVATE_HALF_REGISTERED,
        "lines",
        s ->
            s.bytes =
                Optional.of(
                    OpenSshFile.write(KeyPairMaker.ed25519(Scene.RANDOM), "", Scene.RANDOM)));
    add(
        all,
        "a file extension too many",
        CauseKind.WRONG_FILE_NAME,
        "lines",
        s -> s.fileName = "authorized_keys.txt");
    add(
        all,
        "the .pub file was copied beside instead of appended",
        CauseKind.WRONG_FILE_NAME,
        "lines",
        s -> s.fileName = "id_ed25519.pub");
    add(
        all,
        "others can write the file of keys",
        CauseKind.OPEN_FILE,
        "modes",
        s -> s.fileMode = "rw-r--rw-");
    add(
        all,
        "others can write its directory",
        CauseKind.OPEN_DIRECTORY,
        "modes",
        s -> s.directoryMode = "rwxr-xrwx");
    add(
        all,
        "others can write the home directory",
        CauseKind.OPEN_HOME,
        "modes",
        s -> s.homeMode = "rwxrwxrwx");
    if (ROOT) {
      add(
          all,
          "the file of keys belongs to somebody else",
          CauseKind.FOREIGN_OWNER,
          "modes",
          s -> s.owner = Optional.of(1));
    }
  }

  private static void policies(List<Mistake> all) {
    add(
        all,
        "the server does not allow the key's type",
        CauseKind.ALGORITHM_NOT_ALLOWED,
        "policy",
        s -> s.tags.append("-type"));
    add(
        all,
        "an RSA key shorter than the server wants",
        CauseKind.KEY_TOO_SHORT,
        "policy type",
        s -> {
          s.pair = shortRsa();
          s.tags.append("-long");
        });
    add(
        all,
        "the key was revoked",
        CauseKind.REVOKED,
        "policy type",
        s -> {
          s.pair = s.stage.revoked;
          s.tags.append("-revk");
        });
    add(
        all,
        "the list of revoked keys is damaged",
        CauseKind.REVOCATION_LIST_DAMAGED,
        "policy",
        s -> s.tags.append("-badl"));
    add(
        all,
        "the list of revoked keys is missing",
        CauseKind.REVOCATION_LIST_DAMAGED,
        "policy",
        s -> s.tags.append("-nolist"));
    add(
        all,
        "the server reads keys from another file",
        CauseKind.OTHER_KEYS_FILE,
        "policy modes",
        s -> s.tags.append("-elsewhere"));
    add(
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

  private static String pem(Scene s) {
    try {
      return Pem.write("PUBLIC KEY", DerKeys.writeSpki(s.key()));
    } catch (RefusedException hardware) {
      return ExchangeFile.write(s.key(), "isla");
    }
  }

  private static byte[] ascii(String text) {
    return text.getBytes(StandardCharsets.US_ASCII);
  }

  private static int free() {
    return Ports.free();
  }

  private static void line(List<Mistake> all, String name, CauseKind kind, String text) {
    add(all, name, kind, "lines", s -> s.text = text);
  }

  private static void add(
      List<Mistake> all, String name, CauseKind kind, String touches, Consumer<Scene> provoke) {
    all.add(new Mistake(name, kind, touches, provoke));
  }

  /** Whether it changes which key it is about; such a mistake is made first. */
  boolean changesTheKey() {
    return touches.contains("type");
  }

  /** Whether the two can be made in one scene. */
  boolean goesWith(Mistake other) {
    return Arrays.stream(touches.split(" ")).noneMatch(List.of(other.touches.split(" "))::contains);
  }
}
