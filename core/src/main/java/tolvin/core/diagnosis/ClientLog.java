package tolvin.core.diagnosis;

import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import java.util.stream.Collectors;
import tolvin.core.diagnosis.Circumstances.Outcome;
import tolvin.core.key.Fingerprint;

/**
 * What OpenSSH's client prints with {@code -v} (ssh(1)), as far as it tells why a sign-in failed.
 */
final class ClientLog {
  private static final int LONGEST_LINE = 1000;
  private static final String PRINT = "(SHA256:[A-Za-z0-9+/]{43})";
  private static final Pattern AUTHENTICATING =
      Pattern.compile("debug1: Authenticating to (\\S{1,256}):(\\d{1,5}) as '(.{1,256})'");
  private static final Pattern HOST_KEY =
      Pattern.compile("debug1: Server host key: \\S{1,80} " + PRINT);
  private static final Pattern OFFER =
      Pattern.compile(
          "debug1: (Offering public key|Server accepts key): (.{1,512}?) \\S{1,20} "
              + PRINT
              + ".*");
  private static final Pattern METHODS =
      Pattern.compile("debug1: Authentications that can continue: (\\S{1,200})");
  private static final Pattern LOAD = Pattern.compile("Load key \"(.{1,512})\": (.{1,200})");
  private static final Pattern OPEN_FILE =
      Pattern.compile("Permissions 0\\d{3} for '(.{1,512})' are too open\\.");
  private static final Pattern SIGNING =
      Pattern.compile(
          "(?:sign_and_send_pubkey: )?signing failed for (\\S{1,20}) \"(.{0,512}?)\""
              + "(?: from agent)?: (.{1,200})");
  private static final Pattern MISSING =
      Pattern.compile(
          "(?:Warning: Identity file|no such identity:) (.{1,512}?)"
              + "(?: not accessible)?: No such file or directory\\.?");
  private static final Pattern STALE =
      Pattern.compile("identity_sign: private key (.{1,512}) contents do not match public");

  /** A key that was offered; accepted means that the server would take a signature with it. */
  record Offer(String path, Fingerprint key, boolean accepted) {}

  /** Why signing with an accepted key failed. */
  record SigningFailure(String type, String path, String why) {}

  Optional<String> failedConnection = Optional.empty();
  Optional<String> unknownName = Optional.empty();
  Optional<String> noCommonAlgorithm = Optional.empty();
  Optional<String> host = Optional.empty();
  int port;
  Optional<String> user = Optional.empty();
  Optional<Fingerprint> hostKey = Optional.empty();
  boolean hostKeyChanged;
  boolean hostKeyUnknown;
  private boolean hostKeyRefused;
  private boolean permissionDenied;
  final List<Offer> offers = new ArrayList<>();
  final Map<String, String> notLoaded = new LinkedHashMap<>();
  final List<String> openFiles = new ArrayList<>();
  final List<String> missingFiles = new ArrayList<>();
  final List<String> stalePublic = new ArrayList<>();
  final List<SigningFailure> signingFailures = new ArrayList<>();
  Optional<String> noMutualAlgorithm = Optional.empty();
  Optional<String> tooMany = Optional.empty();
  String methods = "";
  private boolean authenticated;
  boolean partial;

  private ClientLog() {}

  static ClientLog read(List<String> lines) {
    ClientLog log = new ClientLog();
    for (String line : lines) {
      if (line.length() <= LONGEST_LINE) {
        log.line(line.stripTrailing());
      }
    }
    return log;
  }

  private void line(String line) {
    Matcher m;
    if ((m = AUTHENTICATING.matcher(line)).matches()) {
      host = Optional.of(m.group(1));
      port = Integer.parseInt(m.group(2));
      user = Optional.of(m.group(3));
    } else if ((m = HOST_KEY.matcher(line)).matches()) {
      hostKey = Optional.of(new Fingerprint(m.group(1)));
    } else if ((m = OFFER.matcher(line)).matches()) {
      offered(m.group(2), new Fingerprint(m.group(3)), m.group(1).startsWith("Server"));
    } else if ((m = METHODS.matcher(line)).matches()) {
      methods = methods.isEmpty() ? m.group(1) : methods;
    } else if ((m = LOAD.matcher(line)).matches()) {
      notLoaded.put(m.group(1), m.group(2));
    } else if ((m = OPEN_FILE.matcher(line)).matches()) {
      openFiles.add(m.group(1));
    } else if ((m = SIGNING.matcher(line)).matches()) {
      signingFailures.add(new SigningFailure(m.group(1), m.group(2), m.group(3)));
    } else if ((m = MISSING.matcher(line)).matches()) {
      missingFiles.add(m.group(1));
    } else if ((m = STALE.matcher(line)).matches()) {
      stalePublic.add(m.group(1));
    } else {
      plain(line);
    }
  }

  private void plain(String line) {
    if (line.startsWith("ssh: Could not resolve hostname")) {
      unknownName = Optional.of(line);
    } else if (line.startsWith("ssh: connect to host")
        || line.startsWith("kex_exchange_identification:")) {
      failedConnection = Optional.of(line);
    } else if (line.startsWith("Unable to negotiate")) {
      noCommonAlgorithm = Optional.of(line);
    } else if (line.contains("Host key verification failed")) {
      hostKeyRefused = true;
    } else if (line.contains("Permission denied")) {
      permissionDenied = true;
    } else if (line.contains("REMOTE HOST IDENTIFICATION HAS CHANGED")) {
      hostKeyChanged = true;
    } else if (line.startsWith("No ") && line.contains(" host key is known for ")) {
      hostKeyUnknown = true;
    } else if (line.contains("no mutual signature algorithm")
        || line.contains("no mutual signature supported")) {
      noMutualAlgorithm = Optional.of(line);
    } else if (line.contains("Too many authentication failures")) {
      tooMany = Optional.of(line);
    } else if (line.contains("with partial success")) {
      partial = true;
    } else if (line.startsWith("Authenticated to ")) {
      authenticated = true;
    }
  }

  private void offered(String path, Fingerprint key, boolean accepted) {
    offers.removeIf(offer -> accepted && offer.key().equals(key));
    offers.add(new Offer(path, key, accepted));
  }

  /** How far the sign-in came. */
  Outcome outcome() {
    if (authenticated) {
      return Outcome.ACCEPTED;
    }
    if (permissionDenied) {
      return Outcome.REFUSED;
    }
    if (hostKeyRefused) {
      return Outcome.HOST_KEY;
    }
    return failedConnection.isPresent() || unknownName.isPresent()
        ? Outcome.UNREACHABLE
        : Outcome.REFUSED;
  }

  /** The keys that were offered. */
  Set<Fingerprint> keysOffered() {
    return offers.stream().map(Offer::key).collect(Collectors.toSet());
  }

  boolean offers(Fingerprint key) {
    return offers.stream().anyMatch(offer -> offer.key().equals(key));
  }

  boolean isAccepted(Fingerprint key) {
    return offers.stream().anyMatch(offer -> offer.key().equals(key) && offer.accepted());
  }
}
