package tolvin.core.give;

import java.nio.charset.StandardCharsets;
import java.time.Instant;
import java.util.Arrays;
import java.util.Base64;
import java.util.Collection;
import java.util.Set;
import java.util.TreeSet;
import tolvin.core.key.Fingerprint;
import tolvin.core.key.PlainText;
import tolvin.core.key.PublicBlob;
import tolvin.core.key.PublicKey;
import tolvin.core.key.Refusal.Reason;
import tolvin.core.key.RefusedException;
import tolvin.core.key.Wire;
import tolvin.core.key.WireOut;

/**
 * The binary key revocation list that OpenSSH servers read (PROTOCOL.krl, format version 1): whole
 * keys and SHA-256 digests of keys.
 *
 * @param number grows with every list, so that the newer of two can be told
 * @param made when it was made, to the second
 * @param comment what it is, for people
 * @param keys the revoked keys
 * @param digests fingerprints of revoked keys whose blob is not known
 */
public record RevocationList(
    long number, Instant made, String comment, Set<PublicKey> keys, Set<Fingerprint> digests) {
  private static final byte[] MAGIC = "SSHKRL\n\0".getBytes(StandardCharsets.US_ASCII);
  private static final int EXPLICIT_KEY = 2;
  private static final int FINGERPRINT_SHA1 = 3;
  private static final int SIGNATURE = 4;
  private static final int FINGERPRINT_SHA256 = 5;

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

  /** Whether some bytes start like a revocation list. */
  public static boolean isOne(byte[] bytes) {
    return bytes.length >= MAGIC.length
        && Arrays.equals(bytes, 0, MAGIC.length, MAGIC, 0, MAGIC.length);
  }

  /**
   * Reads a list.
   *
   * @throws RefusedException if it is damaged, or revokes by certificate or by SHA-1, which say
   *     nothing about keys that Tolvin knows
   */
  public static RevocationList read(byte[] bytes) throws RefusedException {
    if (!isOne(bytes)) {
      throw refused(Reason.OTHER_FORM, "This is no key revocation list.");
    }
    Wire wire = new Wire(bytes);
    wire.skip(MAGIC.length);
    if (wire.number("version of the format") != 1) {
      throw refused(Reason.OTHER_FORM, "The revocation list has another version than 1.");
    }
    long number = wire.large("number");
    long made = wire.large("date");
    wire.large("flags");
    wire.string("reserved field");
    String comment = new String(wire.string("comment"), StandardCharsets.UTF_8);
    Set<PublicKey> keys = new java.util.LinkedHashSet<>();
    Set<Fingerprint> digests = new TreeSet<>();
    while (!wire.atEnd()) {
      int kind = wire.octet("section's kind");
      Wire section = new Wire(wire.string("section"));
      while (kind == EXPLICIT_KEY && !section.atEnd()) {
        keys.add(PublicBlob.read(section.string("key")));
      }
      while (kind == FINGERPRINT_SHA256 && !section.atEnd()) {
        byte[] digest = section.string("digest");
        if (digest.length != 32) {
          throw refused(Reason.OTHER_FORM, "A digest in the list has not 32 bytes.");
        }
        digests.add(
            new Fingerprint(
                "SHA256:" + Base64.getEncoder().withoutPadding().encodeToString(digest)));
      }
      if (kind != EXPLICIT_KEY && kind != FINGERPRINT_SHA256) {
        String what =
            kind == FINGERPRINT_SHA1
                ? "keys by SHA-1"
                : kind == SIGNATURE ? "a signature" : "certificates";
        throw refused(Reason.OTHER_FORM, "The list holds " + what + ", which is not read here.");
      }
    }
    long last = Instant.parse("9999-12-31T23:59:59Z").getEpochSecond();
    Instant when = Instant.ofEpochSecond(Long.compareUnsigned(made, last) > 0 ? last : made);
    return new RevocationList(number, when, PlainText.shown(comment), keys, digests);
  }

  private static RefusedException refused(Reason reason, String sentence) {
    return new RefusedException(reason, sentence, "Ask for the list of keys in another form.", -1);
  }
}
