package tolvin.core.give;

import java.time.Instant;
import java.time.ZoneOffset;
import java.time.format.DateTimeFormatter;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import tolvin.core.key.PublicKey;

/**
 * A line of an allowed-signers file (ssh-keygen(1), ALLOWED SIGNERS): who may sign what, and when.
 *
 * @param principals the names that signatures are checked against
 * @param namespaces what may be signed, such as git; empty for anything
 * @param validAfter signatures from this moment on are good
 * @param validBefore signatures before this moment are good
 * @param key the key
 * @param comment what stands behind it
 */
public record AllowedSigner(
    List<String> principals,
    List<String> namespaces,
    Optional<Instant> validAfter,
    Optional<Instant> validBefore,
    PublicKey key,
    String comment) {
  private static final DateTimeFormatter MOMENT =
      DateTimeFormatter.ofPattern("yyyyMMddHHmmss'Z'").withZone(ZoneOffset.UTC);

  /** The line without its end. */
  public String line() {
    List<String> options = new ArrayList<>();
    if (!namespaces.isEmpty()) {
      options.add("namespaces=\"" + String.join(",", namespaces) + '"');
    }
    validAfter.ifPresent(at -> options.add("valid-after=\"" + MOMENT.format(at) + '"'));
    validBefore.ifPresent(at -> options.add("valid-before=\"" + MOMENT.format(at) + '"'));
    String names = principals.stream().map(AllowedSigner::word).reduce((a, b) -> a + ',' + b).get();
    return (names + ' ' + String.join(",", options)).strip() + ' ' + key.line(comment);
  }

  /** A name as one word of the file: blanks, commas, quotes and wildcards have no place in it. */
  private static String word(String name) {
    String word = name.replaceAll("[\\s,\"*?!]+", "-");
    return word.startsWith("#") ? '-' + word : word;
  }
}
