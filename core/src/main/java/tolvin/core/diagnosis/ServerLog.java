package tolvin.core.diagnosis;

import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import tolvin.core.key.Fingerprint;

/**
 * What OpenSSH's server logs about one connection at {@code LogLevel VERBOSE} (sshd_config(5)), or
 * Dropbear's, as far as it tells why a sign-in failed. The lines are searched, not anchored, since
 * a system log puts date, host and process before them.
 */
final class ServerLog {
  /** As OpenSSH and as Dropbear say it. */
  private static final Pattern MODES =
      Pattern.compile(
          "bad ownership or modes for (?:file|directory) (?<openssh>\\S{1,512})"
              + "|(?<dropbear>/\\S{0,511}) must be owned by user or root");

  private static final Pattern FOUND =
      Pattern.compile("Accepted key \\S{1,20} (SHA256:[A-Za-z0-9+/]{43}) found at (\\S{1,512})");

  private final List<String> lines;

  ServerLog(List<String> lines) {
    this.lines = lines;
  }

  /** The first line that contains a text. */
  Optional<String> says(String text) {
    return lines.stream().filter(line -> line.contains(text)).findFirst();
  }

  /** A path whose mode or owner the server does not accept. */
  record BadPath(String path, String line) {}

  /** In the order in which the server came upon them. */
  List<BadPath> badPaths() {
    List<BadPath> bad = new ArrayList<>();
    for (String line : lines) {
      Matcher matcher = MODES.matcher(line);
      if (matcher.find()) {
        String path = matcher.group("openssh");
        bad.add(new BadPath(path == null ? matcher.group("dropbear") : path, line));
      }
    }
    return bad;
  }

  /** Where the server found a key, before any signature was checked. */
  Optional<String> found(Fingerprint key) {
    for (String line : lines) {
      Matcher matcher = FOUND.matcher(line);
      if (matcher.find() && matcher.group(1).equals(key.value())) {
        return Optional.of(line);
      }
    }
    return Optional.empty();
  }

  /** Whether the server was asked about a key and refused it. */
  Optional<String> failed(Fingerprint key) {
    return lines.stream()
        .filter(line -> line.contains("Failed publickey for ") && line.contains(key.value()))
        .findFirst();
  }
}
