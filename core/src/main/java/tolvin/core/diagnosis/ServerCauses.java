package tolvin.core.diagnosis;

import java.util.ArrayList;
import java.util.Collection;
import java.util.Comparator;
import java.util.List;
import java.util.Optional;
import java.util.Set;
import tolvin.core.diagnosis.Cause.Certainty;
import tolvin.core.diagnosis.Circumstances.KeysFile;
import tolvin.core.diagnosis.Circumstances.Outcome;
import tolvin.core.diagnosis.Circumstances.PathStep;
import tolvin.core.diagnosis.Circumstances.ServerSide;
import tolvin.core.diagnosis.Circumstances.Wanted;
import tolvin.core.estate.Registered;
import tolvin.core.estate.SignInMode;
import tolvin.core.key.Fingerprint;
import tolvin.core.key.PublicKey;
import tolvin.core.server.ServerKind;

/** What the server and the books show of the causes. */
final class ServerCauses {
  /** What the log says literally, and what that means. */
  private record Saying(String text, CauseKind kind, String sentence) {}

  private static final List<Saying> SAYINGS =
      List.of(
          new Saying("Invalid user ", CauseKind.LOGIN_UNKNOWN, "The server has no such login."),
          new Saying(
              " not allowed because ",
              CauseKind.LOGIN_NOT_ALLOWED,
              "The server does not let this login in with any key."),
          new Saying(
              "not in PubkeyAcceptedAlgorithms",
              CauseKind.ALGORITHM_NOT_ALLOWED,
              "The server does not allow keys of this type."),
          new Saying(
              "refusing RSA key: Invalid key length",
              CauseKind.KEY_TOO_SHORT,
              "The server refuses RSA keys as short as this one."),
          new Saying(
              "in revoked keys file",
              CauseKind.REVOCATION_LIST_DAMAGED,
              "The server cannot read its list of revoked keys and refuses every key."),
          new Saying(
              " revoked by file ",
              CauseKind.REVOKED,
              "The key stands in the server's list of revoked keys."),
          new Saying(
              "correct key but not from a permitted host",
              CauseKind.WRONG_ADDRESS,
              "The key is right, but its line names other addresses."),
          new Saying(
              "user presence (authenticator touch) requirement not met",
              CauseKind.TOUCH_WANTED,
              "The server wants the security key to be touched, and it signed without."),
          new Saying(
              "user verification requirement not met",
              CauseKind.PIN_WANTED,
              "The server wants the security key to check the person, and it signed without."),
          new Saying(
              "Partial publickey for ",
              CauseKind.PASSWORD_TOO,
              "The key was accepted, and the account wants a password as well."),
          new Saying(
              "aximum authentication attempts exceeded",
              CauseKind.TOO_MANY_KEYS,
              "The client offered so many other keys that the server hung up."),
          // Dropbear
          new Saying(
              "Login attempt for nonexistent user",
              CauseKind.LOGIN_UNKNOWN,
              "The server has no such login."),
          new Saying(
              "has invalid shell, rejected",
              CauseKind.LOGIN_NOT_ALLOWED,
              "The server does not let this login in with any key."),
          new Saying(
              "root login rejected",
              CauseKind.LOGIN_NOT_ALLOWED,
              "The server does not let this login in with any key."),
          new Saying(
              "Rejecting, user-presence not set",
              CauseKind.TOUCH_WANTED,
              "The server wants the security key to be touched, and it signed without."),
          new Saying(
              "Rejecting, user-verification not set",
              CauseKind.PIN_WANTED,
              "The server wants the security key to check the person, and it signed without."),
          new Saying(
              "Max auth tries reached",
              CauseKind.TOO_MANY_KEYS,
              "The client offered so many other keys that the server hung up."));

  private final Circumstances about;
  private final Wanted wanted;
  private final Optional<ServerLog> log;
  private final List<KeysFile> files;
  private final Optional<ClientLog> client;
  private final List<Cause> found = new ArrayList<>();

  ServerCauses(Circumstances about) {
    this.about = about;
    this.wanted = about.wanted();
    this.log = about.server().flatMap(ServerSide::log).map(ServerLog::new);
    this.files = about.server().map(ServerSide::keysFiles).orElse(List.of());
    this.client = about.client().map(side -> ClientLog.read(side.lines()));
  }

  List<Cause> find() {
    if (about.client().isEmpty() && about.outcome() == Outcome.UNREACHABLE) {
      certain(
          CauseKind.UNREACHABLE, "Tolvin cannot reach the server.", "No connection came about.");
      return found;
    }
    if (about.client().isEmpty() && about.outcome() == Outcome.HOST_KEY) {
      certain(
          CauseKind.HOST_KEY_CHANGED,
          "The server shows a host key that is not the pinned one.",
          "Pinned: " + wanted.hostKeys());
      return found;
    }
    sayings();
    modes();
    about.account().ifPresent(side -> found.addAll(books().ofAccount(side).all()));
    wanted.key().ifPresentOrElse(this::keyCauses, this::noneOfTheOffered);
    if (about.account().isEmpty() && about.books().signInMode() == SignInMode.PASSWORD) {
      add(
          CauseKind.KEYS_OFF,
          Certainty.LIKELY,
          "The account signs in with a password only.",
          "Its sign-in mode on record is “password”.");
    }
    return found;
  }

  private void sayings() {
    if (log.isEmpty()) {
      return;
    }
    for (Saying saying : SAYINGS) {
      log.get()
          .says(saying.text())
          .ifPresent(line -> certain(saying.kind(), saying.sentence(), said(line)));
    }
  }

  private void modes() {
    List<PathStep> steps = steps(holding());
    List<PathStep> others = new ArrayList<>(steps(files)); // of files that the key is not in
    others.removeAll(steps);
    Optional<ServerLog.BadPath> said =
        log.stream()
            .flatMap(l -> l.badPaths().stream())
            .filter(bad -> at(others, bad.path()).isEmpty())
            .findFirst();
    if (said.isPresent()) {
      Optional<PathStep> step = at(steps, said.get().path());
      String mode =
          step.map(s -> " It has mode " + Integer.toOctalString(s.mode()) + ".").orElse("");
      certain(
          kind(said.get().path(), step),
          said.get().path() + " is too open, or belongs to somebody else." + mode,
          said(said.get().line()));
    } else if (log.isEmpty()) {
      for (PathStep step : steps) {
        if (step.isOpen()) {
          add(
              kind(step.path(), Optional.of(step)),
              Certainty.LIKELY,
              step.path() + " can be written by others, and a strict server ignores the keys then.",
              "It has mode " + Integer.toOctalString(step.mode()) + ".");
        }
      }
    }
  }

  /** The file that would let the key in most likely, or all where none is known to hold it. */
  private List<KeysFile> holding() {
    return wanted
        .key()
        .flatMap(key -> best(readings(key)))
        .map(reading -> List.of(reading.file()))
        .orElse(files);
  }

  private List<KeysFileReading> readings(PublicKey key) {
    return files.stream().map(file -> new KeysFileReading(file, key)).toList();
  }

  /** No file hides a line in another that lets the key in. */
  private Optional<KeysFileReading> best(List<KeysFileReading> readings) {
    return readings.stream()
        .filter(KeysFileReading::hasLine)
        .min(Comparator.comparing(r -> KeysFileReading.weight(r.causes(about.now()))));
  }

  private static List<PathStep> steps(List<KeysFile> files) {
    return files.stream().flatMap(f -> f.steps().stream()).distinct().toList();
  }

  private static Optional<PathStep> at(List<PathStep> steps, String path) {
    return steps.stream().filter(step -> step.path().equals(path)).findFirst();
  }

  private CauseKind kind(String path, Optional<PathStep> step) {
    if (step.isPresent() && !step.get().isOpen()) {
      return CauseKind.FOREIGN_OWNER;
    }
    if (files.stream().map(KeysFile::path).anyMatch(path::equals)) {
      return CauseKind.OPEN_FILE;
    }
    boolean home =
        files.stream()
            .map(KeysFile::steps)
            .anyMatch(way -> !way.isEmpty() && way.get(way.size() - 1).path().equals(path));
    return home ? CauseKind.OPEN_HOME : CauseKind.OPEN_DIRECTORY;
  }

  private void keyCauses(PublicKey key) {
    Fingerprint print = key.fingerprint();
    boolean foundThere = log.flatMap(l -> l.found(print)).isPresent();
    if (foundThere) {
      clientDidNotSign(print);
      return;
    }
    Optional<String> refused = log.flatMap(l -> l.failed(print));
    Optional<List<Registered>> registered = about.account().flatMap(AccountSide::registered);
    if (!files.isEmpty()) {
      inFiles(key, readings(key), refused);
    } else if (registered.isPresent()) {
      inSystem(key, registered.get(), refused);
    } else {
      blind(refused);
    }
  }

  /** Nobody said which key it should have been: of those that were offered, is one registered? */
  private void noneOfTheOffered() {
    Set<Fingerprint> offered = client.map(ClientLog::keysOffered).orElse(Set.of());
    if (about.outcome() != Outcome.REFUSED || offered.isEmpty()) {
      return;
    }
    Optional<List<Fingerprint>> there =
        !files.isEmpty()
            ? Optional.of(KeysFileReading.keys(files))
            : about
                .account()
                .flatMap(AccountSide::registered)
                .map(all -> all.stream().map(Registered::key).toList());
    if (there.isEmpty() && found.isEmpty()) {
      certain(
          CauseKind.ADMINISTRATOR_SEES,
          "The server refuses each key that the client offered; why, only its administrator sees.",
          "It offered " + names(offered) + ".");
    } else if (there.filter(keys -> keys.stream().noneMatch(offered::contains)).isPresent()) {
      certain(
          CauseKind.NOT_REGISTERED,
          "No key that the client offered is registered on the account.",
          "It offered " + names(offered) + "; registered there: " + names(there.get()) + ".");
    }
  }

  private static String names(Collection<Fingerprint> keys) {
    return keys.isEmpty()
        ? "none"
        : String.join(", ", keys.stream().map(Fingerprint::value).toList());
  }

  /** The account's keys stand in lines that could be read. */
  private void inFiles(PublicKey key, List<KeysFileReading> readings, Optional<String> refused) {
    Optional<KeysFileReading> best = best(readings);
    List<Cause> causes =
        (best.isPresent() ? best.stream() : readings.stream())
            .flatMap(reading -> reading.causes(about.now()).stream())
            .toList();
    found.addAll(causes);
    if (!causes.isEmpty()) {
      return;
    }
    boolean isMissing = files.stream().allMatch(f -> f.content().isEmpty());
    boolean noHome =
        isMissing && files.stream().allMatch(f -> f.steps().isEmpty()) && about.account().isEmpty();
    String paths = String.join(" and ", files.stream().map(KeysFile::path).toList());
    if (noHome) {
      add(
          CauseKind.LOGIN_UNKNOWN,
          Certainty.LIKELY,
          "There is no home directory of such an account.",
          "There is nothing of " + paths + ", not even the directories above it.");
    } else if (best.isEmpty()) {
      found.addAll(
          books()
              .notThere(
                  isMissing
                      ? "There is no " + paths + "."
                      : "No line of " + paths + " holds " + key.fingerprint() + ".")
              .all());
    } else if (found.isEmpty()) {
      thereButNotTaken(
          "The key's line stands whole in " + best.get().file().path() + ".",
          refused,
          about.account().isEmpty() ? CauseKind.OTHER_KEYS_FILE : CauseKind.OTHER_SOURCE);
    }
  }

  /** The account's keys are entries of a system that was asked for them. */
  private void inSystem(PublicKey key, List<Registered> there, Optional<String> refused) {
    List<Cause> causes = books().ofKey(about.account().get(), there, key).all();
    found.addAll(causes);
    if (found.isEmpty()) {
      thereButNotTaken(
          "The key is registered on " + about.account().get().name() + ".",
          refused,
          CauseKind.REFUSED_THERE);
    }
  }

  private AccountCauses books() {
    return new AccountCauses(about.books(), about.now());
  }

  /**
   * The key is where it should be, and was refused all the same.
   *
   * @param elsewhere what that means if nothing else explains it
   */
  private void thereButNotTaken(String there, Optional<String> refused, CauseKind elsewhere) {
    Optional<Cause> copying = AccountCauses.beingCopied(about.books(), about.now(), there);
    copying.ifPresent(found::add);
    Optional<String> options = log.flatMap(l -> l.says("Refused by key options"));
    if (options.isPresent()) {
      certain(
          CauseKind.KEY_OPTIONS,
          "An option of the key's line refuses this sign-in.",
          said(options.get()));
    } else if (neverLooked()) {
      add(
          CauseKind.KEYS_OFF,
          Certainty.LIKELY,
          "The server takes no keys for this login: Tolvin offered the key, and it did not look.",
          there + " The server's log says nothing of any key.");
    } else if (refused.isPresent() || isRefused() && !deviceSigned()) {
      add(
          elsewhere,
          copying.isPresent() ? Certainty.POSSIBLE : Certainty.LIKELY,
          switch (elsewhere) {
            case OTHER_KEYS_FILE ->
                "The server does not read the file that Tolvin keeps the account's keys in.";
            case OTHER_SOURCE ->
                "The server does not take this account's keys from there, or not this one.";
            default -> "The key is registered there, and it is refused all the same.";
          },
          there + refused.map(line -> " " + said(line)).orElse(""));
    }
  }

  /** Whether an OpenSSH server logged Tolvin's own sign-in, and no key in it. */
  private boolean neverLooked() {
    boolean openSsh =
        files.stream().anyMatch(f -> f.server().kind() == ServerKind.OPENSSH)
            && log.flatMap(l -> l.says("Connection from ")).isPresent();
    return about.client().isEmpty() && openSsh && log.flatMap(l -> l.says("SHA256:")).isEmpty();
  }

  /** Whether the key itself was offered and refused, as far as the client tells. */
  private boolean isRefused() {
    if (client.isEmpty()) {
      return about.outcome() == Outcome.REFUSED;
    }
    ClientLog said = client.get();
    // some servers ask for a signature with any key; if the client gave one, they know why not
    return wanted
        .key()
        .map(PublicKey::fingerprint)
        .filter(key -> said.offers(key) && !said.partial)
        .filter(key -> !said.isAccepted(key) || said.signingFailures.isEmpty())
        .isPresent();
  }

  /** Whether the server asked a security key for a signature: what it signed is what is wrong. */
  private boolean deviceSigned() {
    return wanted
        .key()
        .filter(key -> key.type().hardware())
        .filter(key -> client.filter(log -> log.isAccepted(key.fingerprint())).isPresent())
        .isPresent();
  }

  /** The server found the key and waited for a signature. */
  private void clientDidNotSign(Fingerprint print) {
    if (!found.isEmpty() || about.client().isPresent()) {
      return;
    }
    String evidence = said(log.flatMap(l -> l.found(print)).orElseThrow());
    add(
        CauseKind.PASSPHRASE,
        Certainty.LIKELY,
        "The server accepts the key, but the client did not sign: a passphrase, an agent or a"
            + " security key stood in the way.",
        evidence);
    add(
        CauseKind.STALE_PUBLIC_FILE,
        Certainty.POSSIBLE,
        "The client may offer a .pub file whose private file holds another key.",
        evidence);
  }

  /** Only the server's administrator sees the account's keys: several causes are as likely. */
  private void blind(Optional<String> refused) {
    if (!found.isEmpty() || deviceSigned() || refused.isEmpty() && !isRefused()) {
      return;
    }
    String evidence =
        refused.map(ServerCauses::said).orElse("The server only said that permission was denied.");
    Optional<Cause> copying = AccountCauses.beingCopied(about.books(), about.now(), evidence);
    copying.ifPresent(found::add);
    if (about.books().handedOverAt().isPresent()) {
      add(
          CauseKind.NOT_REGISTERED,
          Certainty.LIKELY,
          "The other side was asked to register the key, and has not been seen to have done it.",
          "Asked at " + about.books().handedOverAt().get() + ". " + evidence);
    } else if (about.books().otherAccounts().isEmpty() || about.books().placedAt().isPresent()) {
      if (about.client().isPresent() && copying.isEmpty()) {
        certain(
            CauseKind.ADMINISTRATOR_SEES,
            "The server refuses the key; why, only its administrator sees.",
            evidence);
      }
      add(
          CauseKind.NOT_REGISTERED,
          copying.isPresent() ? Certainty.POSSIBLE : Certainty.LIKELY,
          "The key is not registered on the account, or its line cannot be read there.",
          evidence);
    } else {
      add(
          CauseKind.WRONG_ACCOUNT,
          Certainty.LIKELY,
          "The key is on record for " + String.join(", ", about.books().otherAccounts()) + ".",
          evidence);
    }
    if (about.account().isEmpty()) {
      add(
          CauseKind.OPEN_DIRECTORY,
          Certainty.POSSIBLE,
          "The account's directory may be too open, so that the server ignores its keys.",
          evidence);
    }
  }

  private static String said(String line) {
    return "The server's log says: " + line.strip();
  }

  private void certain(CauseKind kind, String sentence, String evidence) {
    add(kind, Certainty.CERTAIN, sentence, evidence);
  }

  private void add(CauseKind kind, Certainty certainty, String sentence, String evidence) {
    found.add(new Cause(kind, certainty, sentence, List.of(evidence)));
  }
}
