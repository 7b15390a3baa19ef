package tolvin.core.give;

import java.nio.charset.StandardCharsets;
import java.time.Instant;
import java.util.Arrays;
import java.util.Base64;
import java.util.Collection;
import java.util.Set;
import java.util.TreeSet;
import tolvin.core.key.Fingerprint;
import tolvin.core.key.PublicKey;
import tolvin.core.key.WireOut;

/**
 * The binary key revocation list that OpenSSH servers read (PROTOCOL.krl, format version 1): whole
 * keys and SHA-256 digests of keys. What others wrote is read by {@link RevocationReading}.
 *
 * @param number grows with every list, so that the newer of two can be told
 * @param made when it was made, to the second
 * @param comment what it is, for people
 * @param keys the revoked keys
 * @param digests fingerprints of revoked keys whose blob is not known
 */
public record RevocationList(
    long number, Instant made, String comment, Set<PublicKey> keys, Set<Fingerprint> digests) {
  static final byte[] MAGIC = "SSHKRL\n\0".getBytes(StandardCharsets.US_ASCII);
  static final int EXPLICIT_KEY = 2;
  static final int FINGERPRINT_SHA256 = 5;

  /** Writes the list; blobs and digests in ascending order, as OpenSSH keeps them. */
  public byte[] toBytes() {
    WireOut out =
        new WireOut()
            .raw(MAGIC)
            .number(1)
            .large(number)
            .large(made.getEpochSecond())
            .large(0)
            .string("")
            .string(comment);
    section(out, EXPLICIT_KEY, keys.stream().map(PublicKey::blob).toList());
    section(
        out,
        FINGERPRINT_SHA256,
        digests.stream()
            .map(f -> Base64.getDecoder().decode(f.value().substring("SHA256:".length())))
            .toList());
    return out.toBytes();
  }

  private static void section(WireOut out, int kind, Collection<byte[]> entries) {
    if (entries.isEmpty()) {
      return;
    }
    TreeSet<byte[]> sorted = new TreeSet<>(Arrays::compareUnsigned);
    sorted.addAll(entries);
    WireOut section = new WireOut();
    sorted.forEach(section::string);
    out.raw(new byte[] {(byte) kind}).string(section.toBytes());
  }
}
