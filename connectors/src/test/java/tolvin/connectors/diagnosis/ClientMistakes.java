package tolvin.connectors.diagnosis;

import java.util.Arrays;
import java.util.List;
import java.util.Optional;
import tolvin.core.diagnosis.CauseKind;
import tolvin.core.key.KeyType;
import tolvin.core.pair.HardwareHandle;
import tolvin.core.pair.KeyPairMaker;
import tolvin.core.pair.OpenSshFile;
import tolvin.standins.local.Ports;
import tolvin.standins.securitykey.Device;

/** Mistakes on the way and on the client's machine: its files, agents and security keys. */
final class ClientMistakes {
  private ClientMistakes() {}

  static void addTo(List<Mistake> all) {
    reaching(all);
    clientFiles(all);
    agentsAndDevices(all);
  }

  private static void reaching(List<Mistake> all) {
    Mistake.add(
        all,
        "a host name that nobody knows",
        CauseKind.NAME_UNKNOWN,
        "way",
        s -> s.toHost = Optional.of("nowhere.invalid"));
    Mistake.add(
        all,
        "the server does not run",
        CauseKind.UNREACHABLE,
        "way",
        s -> s.recordedPort = Optional.of(free()));
    Mistake.add(
        all,
        "the client's port is wrong, and nothing listens there",
        CauseKind.WRONG_PLACE,
        "way",
        s -> s.toPort = Optional.of(free()));
    Mistake.add(
        all,
        "the client's port leads to another server",
        CauseKind.WRONG_PLACE,
        "way",
        s -> s.toPort = Optional.of(s.stage.other.port()));
    Mistake.add(
        all,
        "the server's host key was changed",
        CauseKind.HOST_KEY_CHANGED,
        "way",
        s -> {
          s.pinned = List.of(s.stage.other.hostKey());
          s.knownHostKey = Optional.of(s.stage.other.hostKey());
        });
    Mistake.add(
        all,
        "the client remembers a former host key",
        CauseKind.HOST_KEY_OLD_AT_CLIENT,
        "way",
        s -> s.knownHostKey = Optional.of(s.stage.other.hostKey()));
    Mistake.add(
        all,
        "the client knows no host key, nobody compared one",
        CauseKind.HOST_KEY_UNKNOWN,
        "way",
        s -> s.knownHostKey = Optional.empty());
    Mistake.add(
        all,
        "client and server are years apart",
        CauseKind.NO_COMMON_ALGORITHM,
        "way",
        s -> s.options.add("KexAlgorithms=diffie-hellman-group1-sha1"));
  }

  private static void clientFiles(List<Mistake> all) {
    Mistake.add(
        all,
        "the private file is not where the client looks",
        CauseKind.CLIENT_FILE_MISSING,
        "client",
        s -> s.identity = Optional.of("id_rsa.bak"));
    Mistake.add(
        all,
        "only the public file was copied to the machine",
        CauseKind.CLIENT_FILE_MISSING,
        "client",
        s -> {
          s.privateFile = new byte[0];
          s.publicBeside = Optional.of(s.key());
        });
    Mistake.add(
        all,
        "others can read the private file",
        CauseKind.CLIENT_FILE_OPEN,
        "client",
        s -> s.privateMode = "rw-r--r--");
    if (!Mistake.ROOT) {
      Mistake.add(
          all,
          "the client may not read the private file",
          CauseKind.CLIENT_FILE_UNREADABLE,
          "client",
          s -> s.privateMode = "---------");
    }
    Mistake.add(
        all,
        "the public file is named as the private one",
        CauseKind.CLIENT_FILE_PUBLIC,
        "client",
        s -> {
          s.publicBeside = Optional.of(s.key());
          s.identity = Optional.of("id.pub");
        });
    Mistake.add(
        all,
        "the private file was cut while copying",
        CauseKind.CLIENT_FILE_DAMAGED,
        "client",
        s -> {
          byte[] whole = OpenSshFile.write(s.pair, "", Scene.RANDOM);
          s.privateFile = Arrays.copyOf(whole, whole.length / 2);
        });
    Mistake.add(
        all,
        "an old .pub file lies beside the new private file",
        CauseKind.STALE_PUBLIC_FILE,
        "client",
        s -> s.publicBeside = Optional.of(KeyPairMaker.ed25519(Scene.RANDOM).key()));
    Mistake.add(
        all,
        "the .pub file was registered, but the private file is of another key",
        CauseKind.STALE_PUBLIC_FILE,
        "client",
        s -> {
          s.publicBeside = Optional.of(s.key());
          s.privateFile = OpenSshFile.write(KeyPairMaker.ed25519(Scene.RANDOM), "", Scene.RANDOM);
        });
    Mistake.add(
        all,
        "a passphrase, and a job in the night that cannot type it",
        CauseKind.PASSPHRASE,
        "client",
        s -> s.passphrase = Optional.of("tide table"));
    Mistake.add(
        all,
        "the passphrase is forgotten",
        CauseKind.PASSPHRASE,
        "client",
        s -> {
          s.passphrase = Optional.of("tide table");
          s.environment.put("SSH_ASKPASS", "/bin/echo");
          s.environment.put("SSH_ASKPASS_REQUIRE", "force");
        });
    Mistake.add(
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
    Mistake.add(
        all,
        "seven other keys are offered first",
        CauseKind.TOO_MANY_KEYS,
        "client",
        s -> {
          for (int i = 0; i < 7; i++) {
            s.offeredBefore.add(KeyPairMaker.ed25519(Scene.RANDOM));
          }
        });
    Mistake.add(
        all,
        "the client forbids the key's type",
        CauseKind.CLIENT_ALGORITHM,
        "client",
        s -> s.options.add("PubkeyAcceptedAlgorithms=rsa-sha2-512"));
  }

  private static void agentsAndDevices(List<Mistake> all) {
    Mistake.add(
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
    Mistake.add(
        all,
        "the agent holds another key",
        CauseKind.KEY_NOT_OFFERED,
        "client",
        s -> {
          s.privateFile = new byte[0];
          byAgent(s);
          s.stage.addToAgent(KeyPairMaker.ed25519(Scene.RANDOM), "-t", "20");
        });
    Mistake.add(
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
    Mistake.add(
        all,
        "the security key is not plugged in",
        CauseKind.DEVICE_UNPLUGGED,
        "client type",
        s -> {
          s.hardware(KeyType.SK_ED25519, HardwareHandle.TOUCH);
          s.stage.device.plugged(false);
        });
    Mistake.add(
        all,
        "another security key is plugged in: a stolen file",
        CauseKind.DEVICE_UNPLUGGED,
        "client type",
        s -> {
          s.hardware(KeyType.SK_ECDSA_P256, HardwareHandle.TOUCH);
          s.environment.put("SSH_SK_HELPER", s.stage.foreign.helper().toString());
        });
    Mistake.add(
        all,
        "nobody touches the security key",
        CauseKind.DEVICE_NOT_TOUCHED,
        "client type",
        s -> {
          s.hardware(KeyType.SK_ED25519, HardwareHandle.TOUCH);
          s.stage.device.finger(Device.Finger.AWAY);
        });
    Mistake.add(
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
    Mistake.add(
        all,
        "the security key wants its PIN, and nobody can type it",
        CauseKind.DEVICE_PIN,
        "client type",
        s -> s.hardware(KeyType.SK_ED25519, HardwareHandle.TOUCH | HardwareHandle.VERIFICATION));
    Mistake.add(
        all,
        "the server wants a touch that the key does not ask for",
        CauseKind.TOUCH_WANTED,
        "type",
        s -> s.hardware(KeyType.SK_ED25519, 0));
    Mistake.add(
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

  private static int free() {
    return Ports.free();
  }
}
