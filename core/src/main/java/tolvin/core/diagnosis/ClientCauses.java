package tolvin.core.diagnosis;

import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import tolvin.core.diagnosis.Cause.Certainty;
import tolvin.core.diagnosis.Circumstances.ClientFile;
import tolvin.core.diagnosis.Circumstances.ClientSide;
import tolvin.core.diagnosis.Circumstances.Outcome;
import tolvin.core.diagnosis.Circumstances.Wanted;
import tolvin.core.key.Fingerprint;
import tolvin.core.pair.SignatureAlgorithm;

/** What the holder's machine shows of the causes. */
final class ClientCauses {
  private final Circumstances about;
  private final Wanted wanted;
  private final ClientSide client;
  private final ClientLog log;
  private final List<Cause> found = new ArrayList<>();

  ClientCauses(Circumstances about, ClientSide client) {
    this.about = about;
    this.wanted = about.wanted();
    this.client = client;
    this.log = ClientLog.read(client.lines());
  }

  List<Cause> find() {
    if (!reached()) {
      return found;
    }
    log.user
        .filter(user -> !user.equals(wanted.login()))
        .ifPresent(
            user ->
                certain(
                    CauseKind.WRONG_LOGIN,
                    "The client signs in as “" + user + "” instead of “" + wanted.login() + "”.",
                    "It printed: Authenticating to … as '" + user + "'"));
    if (!log.methods.isEmpty() && !List.of(log.methods.split(",")).contains("publickey")) {
      certain(
          CauseKind.KEYS_OFF,
          "The server takes no keys for this login.",
          "It offered only: " + log.methods);
    }
    if (log.partial) {
      certain(
          CauseKind.PASSWORD_TOO,
          "The key was accepted, and the account wants a password as well.",
          "The client printed: Authenticated … with partial success");
    }
    wanted
        .key()
        .ifPresentOrElse(
            key -> keyCauses(key.fingerprint(), key.type().hardware()), this::offersNothing);
    return found;
  }

  /** Whether the client reached the server that is meant, and believes it. */
  private boolean reached() {
    log.unknownName.ifPresent(
        line ->
            certain(
                CauseKind.NAME_UNKNOWN, "The client's machine does not know the host name.", line));
    log.noCommonAlgorithm.ifPresent(
        line ->
            certain(
                CauseKind.NO_COMMON_ALGORITHM,
                "Client and server have no algorithm in common for this connection.",
                line));
    boolean pinned = log.hostKey.filter(wanted.hostKeys()::contains).isPresent();
    boolean otherPort =
        log.failedConnection
            .filter(
                line -> line.contains(" port ") && !line.contains(" port " + wanted.port() + ":"))
            .isPresent();
    boolean otherPlace =
        otherPort
            || log.host.isPresent()
                && !pinned
                && (log.port != wanted.port() || !log.host.get().equals(wanted.host()));
    if (otherPlace) {
      certain(
          CauseKind.WRONG_PLACE,
          "The client goes to another place than " + wanted.host() + " port " + wanted.port() + ".",
          log.failedConnection.orElseGet(
              () -> "It went to " + log.host.orElse("?") + " port " + log.port + "."));
    }
    log.failedConnection
        .filter(line -> !otherPlace)
        .ifPresent(
            line ->
                certain(CauseKind.UNREACHABLE, "The server cannot be reached from there.", line));
    if ((log.hostKeyChanged || log.hostKeyUnknown) && !otherPlace) {
      String shown = "The server showed " + log.hostKey.map(Fingerprint::value).orElse("?");
      if (!pinned) {
        certain(
            CauseKind.HOST_KEY_CHANGED,
            "The server shows a host key that is not the pinned one.",
            shown + "; pinned: " + wanted.hostKeys());
      } else if (log.hostKeyChanged) {
        certain(
            CauseKind.HOST_KEY_OLD_AT_CLIENT,
            "The server shows the right host key; the client still has another one on record.",
            shown + ", which is pinned.");
      } else {
        certain(
            CauseKind.HOST_KEY_UNKNOWN,
            "The client has no host key of this server on record and does not go on without.",
            shown + ", which is pinned.");
      }
    }
    return found.isEmpty();
  }

  /** Nobody said which key it should have been, and there was none. */
  private void offersNothing() {
    loading();
    if (found.isEmpty() && log.offers.isEmpty() && about.outcome() == Outcome.REFUSED) {
      certain(
          CauseKind.KEY_NOT_OFFERED,
          "The client offered no key at all.",
          log.missingFiles.isEmpty()
              ? "Neither its configuration nor an agent gave it one."
              : "There is no " + String.join(", ", log.missingFiles) + ".");
    }
  }

  private void keyCauses(Fingerprint key, boolean hardware) {
    Optional<ClientFile> file =
        client.files().stream().filter(f -> f.key().filter(key::equals).isPresent()).findFirst();
    boolean inAgent = client.agentKeys().contains(key);
    int before = found.size();
    loading();
    staleBeside(key);
    if (log.isAccepted(key)) {
      signing(key, hardware, file, inAgent);
      return;
    }
    log.noMutualAlgorithm.ifPresent(
        line ->
            certain(
                CauseKind.CLIENT_ALGORITHM,
                "The client does not offer the key, since it and the server have no signature"
                    + " algorithm for it in common.",
                line));
    boolean allowed =
        client.algorithms().isEmpty()
            || wanted.key().stream()
                .flatMap(k -> SignatureAlgorithm.of(k.type()).stream())
                .anyMatch(algorithm -> client.algorithms().contains(algorithm.word()));
    if (!allowed) {
      certain(
          CauseKind.CLIENT_ALGORITHM,
          "The client's own configuration forbids the key's type.",
          "Its PubkeyAcceptedAlgorithms are " + String.join(",", client.algorithms()) + ".");
    }
    if (log.offers(key)) {
      return; // offered and refused: the server's side knows why
    }
    boolean atHand = file.isPresent() || inAgent;
    log.tooMany.ifPresent(
        line ->
            add(
                CauseKind.TOO_MANY_KEYS,
                atHand ? Certainty.CERTAIN : Certainty.LIKELY,
                "The client offered so many other keys that the server hung up.",
                line + " after " + offered()));
    if (found.size() > before && (atHand || !log.missingFiles.isEmpty())) {
      return;
    }
    missing(key);
    if (found.stream().noneMatch(c -> c.kind() == CauseKind.CLIENT_FILE_MISSING)
        && client.agent().equals("silent")
        && !atHand) {
      certain(
          CauseKind.AGENT_SILENT,
          "The client is set up to ask an agent, and no agent answers.",
          "Nothing answers at the agent's socket.");
    }
    if (found.size() == before) {
      certain(
          CauseKind.KEY_NOT_OFFERED,
          "The client did not offer the key " + name(key) + ".",
          log.offers.isEmpty() ? "It offered no key at all." : "It offered " + offered() + ".");
    }
  }

  private void missing(Fingerprint key) {
    boolean held = client.files().stream().anyMatch(f -> f.key().isPresent());
    List<String> missing = new ArrayList<>(log.missingFiles);
    client.files().stream()
        .filter(f -> f.kind().equals("missing") && f.publicBeside().filter(key::equals).isPresent())
        .forEach(f -> missing.add(f.path()));
    if (!missing.isEmpty() && !held) {
      certain(
          CauseKind.CLIENT_FILE_MISSING,
          "The private key file that the client is set up to use does not exist.",
          "There is no " + String.join(", ", missing) + ".");
    }
  }

  /** Files that the client passed over, and why. */
  private void loading() {
    for (String path : log.openFiles) {
      if (kindOf(path).equals("public")) {
        certain(
            CauseKind.CLIENT_FILE_PUBLIC,
            "The client is set up to sign in with a file that holds a public key.",
            path + " holds a public key.");
        continue;
      }
      certain(
          CauseKind.CLIENT_FILE_OPEN,
          "Others can read the private file, so the client ignores it.",
          "The client printed: Permissions … for '" + path + "' are too open.");
    }
    for (Map.Entry<String, String> entry : log.notLoaded.entrySet()) {
      String why = entry.getValue();
      String printed = "The client printed: Load key \"" + entry.getKey() + "\": " + why;
      String kind = kindOf(entry.getKey());
      if (why.contains("Permission denied")) {
        certain(
            CauseKind.CLIENT_FILE_UNREADABLE, "The client may not read the private file.", printed);
      } else if (why.contains("passphrase")) {
        certain(CauseKind.PASSPHRASE, "The passphrase of the private file was wrong.", printed);
      } else if (why.contains("No such file")) {
        certain(
            CauseKind.CLIENT_FILE_MISSING,
            "Only the public file is there; the private one beside it is missing.",
            printed);
      } else if (why.contains("bad permissions")) {
        continue; // said by the line about its modes
      } else if (kind.equals("public")) {
        certain(
            CauseKind.CLIENT_FILE_PUBLIC,
            "The client is set up to sign in with a file that holds a public key.",
            printed);
      } else {
        certain(
            CauseKind.CLIENT_FILE_DAMAGED,
            "The private file is damaged, or of a form that the client does not read.",
            printed);
      }
    }
  }

  private String kindOf(String path) {
    return client.files().stream()
        .filter(f -> f.path().equals(path))
        .map(ClientFile::kind)
        .findFirst()
        .orElse("");
  }

  /**
   * A public file that does not fit makes the client offer the wrong key in the right one's name.
   */
  private void staleBeside(Fingerprint key) {
    for (ClientFile file : client.files()) {
      boolean stale =
          file.key().isPresent()
              && file.publicBeside().isPresent()
              && !file.key().equals(file.publicBeside());
      if (stale && (file.key().get().equals(key) || file.publicBeside().get().equals(key))) {
        certain(
            CauseKind.STALE_PUBLIC_FILE,
            "The .pub file beside the private file is of another key; the client offers that one.",
            file.path()
                + " holds "
                + name(file.key().get())
                + ", "
                + file.path()
                + ".pub says "
                + name(file.publicBeside().get())
                + ".");
      }
    }
    for (String path : log.stalePublic) {
      certain(
          CauseKind.STALE_PUBLIC_FILE,
          "The .pub file beside the private file is of another key; the client offers that one.",
          "The client printed: private key " + path + " contents do not match public");
    }
  }

  /** The server would take the key, but the client could not sign. */
  private void signing(
      Fingerprint key, boolean hardware, Optional<ClientFile> file, boolean inAgent) {
    String accepted = "The server accepts the key " + name(key) + ".";
    for (ClientLog.SigningFailure failure : log.signingFailures) {
      String printed = "The client printed: signing failed: " + failure.why();
      if (!hardware) {
        certain(CauseKind.AGENT_REFUSED, "The agent refused to sign with the key.", printed);
      } else if (failure.why().contains("device not found")) {
        certain(
            CauseKind.DEVICE_UNPLUGGED,
            "The security key is not plugged in, or it is not the one that the key was made on.",
            printed);
      } else if (failure.why().contains("passphrase")) {
        certain(CauseKind.DEVICE_PIN, "The security key wants its PIN.", printed);
      } else if (failure.why().contains("agent refused")) {
        certain(
            CauseKind.DEVICE_REFUSED,
            "The security key did not sign: it is unplugged, was not touched, or wants its PIN.",
            printed);
      } else {
        certain(CauseKind.DEVICE_NOT_TOUCHED, "The security key was not touched in time.", printed);
      }
    }
    if (found.isEmpty() && file.filter(ClientFile::encrypted).isPresent() && !inAgent) {
      certain(
          CauseKind.PASSPHRASE,
          "The private file has a passphrase, and the client could not ask for it.",
          file.get().path() + " is encrypted, and the key is in no agent. " + accepted);
    }
    if (found.isEmpty() && hardware) {
      String signed = accepted + " The client signed, and the server refused the signature.";
      add(
          CauseKind.TOUCH_WANTED,
          Certainty.LIKELY,
          "The server wants the security key to be touched, and it signed without.",
          signed);
      add(
          CauseKind.PIN_WANTED,
          Certainty.POSSIBLE,
          "The server wants the security key to check the person, and it signed without.",
          signed);
    }
  }

  private String offered() {
    return String.join(", ", log.offers.stream().map(o -> name(o.key())).toList());
  }

  private String name(Fingerprint key) {
    String known = about.books().names().get(key);
    return known == null ? key.value() : key.value() + " (" + known + ")";
  }

  private void certain(CauseKind kind, String sentence, String evidence) {
    add(kind, Certainty.CERTAIN, sentence, evidence);
  }

  private void add(CauseKind kind, Certainty certainty, String sentence, String evidence) {
    found.add(new Cause(kind, certainty, sentence, List.of(evidence)));
  }
}
