package tolvin.core.give;

import java.math.BigInteger;
import java.nio.charset.StandardCharsets;
import java.time.Instant;
import java.util.ArrayList;
import java.util.Base64;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Optional;
import java.util.Set;
import java.util.TreeSet;
import tolvin.core.key.Fingerprint;
import tolvin.core.key.PlainText;
import tolvin.core.key.PublicBlob;
import tolvin.core.key.PublicKey;
import tolvin.core.key.Refusal.Reason;
import tolvin.core.key.RefusedException;
import tolvin.core.key.Wire;

/**
 * A key revocation list that somebody else wrote (PROTOCOL.krl), with all its sections. An entry
 * that cannot be read is left out and said, and the others count; a key of an unknown type still
 * counts by its digest.
 *
 * @param list keys and SHA-256 digests
 * @param sha1 digests of keys by SHA-1, spelled as OpenSSH does: {@code SHA1:} and base64
 * @param certificates how many certificates are revoked, by authority
 * @param leftOut what could not be read, for people
 */
public record RevocationReading(
    RevocationList list,
    Set<String> sha1,
    List<RevokedCertificates> certificates,
    List<String> leftOut) {
  private static final int CERTIFICATES = 1;
  private static final int FINGERPRINT_SHA1 = 3;
  private static final int SIGNATURE = 4;
  private static final int SERIAL_LIST = 0x20;
  private static final int SERIAL_RANGE = 0x21;
  private static final int SERIAL_BITMAP = 0x22;
  private static final int KEY_ID = 0x23;
  private static final int SHA1_BYTES = 20;
  private static final int SHA256_BYTES = 32;

  /**
   * How many certificates of one authority are revoked. Certificates are never registered here, so
   * which ones does not matter.
   *
   * @param authority whose; empty for every authority
   * @param serials how many by their number
   * @param keyIds how many by what the authority calls them
   */
  public record RevokedCertificates(
      Optional<PublicKey> authority, BigInteger serials, int keyIds) {}

  /** Whether some bytes start like a revocation list. */
  public static boolean isOne(byte[] bytes) {
    byte[] magic = RevocationList.MAGIC;
    return bytes.length >= magic.length
        && java.util.Arrays.equals(bytes, 0, magic.length, magic, 0, magic.length);
  }

  /**
   * Reads a list.
   *
   * @throws RefusedException if it is none, of another version, or cut short
   */
  public static RevocationReading read(byte[] bytes) throws RefusedException {
    if (!isOne(bytes)) {
      throw refused("This is no key revocation list.");
    }
    Wire wire = new Wire(bytes);
    wire.skip(RevocationList.MAGIC.length);
    if (wire.number("version of the format") != 1) {
      throw refused("The revocation list has another version than 1.");
    }
    long number = wire.large("number");
    long made = wire.large("date");
    wire.large("flags");
    wire.string("reserved field");
    String comment = new String(wire.string("comment"), StandardCharsets.UTF_8);
    Sections sections = new Sections();
    while (!wire.atEnd()) {
      int kind = wire.octet("section's kind");
      sections.read(kind, new Wire(wire.string("section")));
    }
    long last = Instant.parse("9999-12-31T23:59:59Z").getEpochSecond();
    Instant when = Instant.ofEpochSecond(Long.compareUnsigned(made, last) > 0 ? last : made);
    return new RevocationReading(
        new RevocationList(number, when, PlainText.shown(comment), sections.keys, sections.digests),
        sections.sha1,
        List.copyOf(sections.certificates),
        List.copyOf(sections.leftOut));
  }

  /** What was read so far. */
  private static final class Sections {
    final Set<PublicKey> keys = new LinkedHashSet<>();
    final Set<Fingerprint> digests = new TreeSet<>();
    final Set<String> sha1 = new TreeSet<>();
    final List<RevokedCertificates> certificates = new ArrayList<>();
    final List<String> leftOut = new ArrayList<>();

    void read(int kind, Wire section) throws RefusedException {
      switch (kind) {
        case CERTIFICATES -> certificates(section);
        case RevocationList.EXPLICIT_KEY -> {
          while (!section.atEnd()) {
            key(section.string("key"));
          }
        }
        case FINGERPRINT_SHA1 -> {
          while (!section.atEnd()) {
            digest(section.string("digest"), SHA1_BYTES).ifPresent(d -> sha1.add("SHA1:" + d));
          }
        }
        case RevocationList.FINGERPRINT_SHA256 -> {
          while (!section.atEnd()) {
            digest(section.string("digest"), SHA256_BYTES)
                .ifPresent(d -> digests.add(new Fingerprint("SHA256:" + d)));
          }
        }
        case SIGNATURE -> leftOut.add("The list is signed; the signature is not looked at.");
        default -> leftOut.add("A section of the unknown kind " + kind + ".");
      }
    }

    private void key(byte[] blob) {
      try {
        keys.add(PublicBlob.read(blob));
      } catch (RefusedException strange) {
        digests.add(new Fingerprint("SHA256:" + encoded(Fingerprint.sha256(blob))));
        leftOut.add("A key counts by its SHA-256 alone: " + strange.refusal().sentence());
      }
    }

    private Optional<String> digest(byte[] digest, int length) {
      if (digest.length != length) {
        leftOut.add("A digest has " + digest.length + " bytes instead of " + length + ".");
        return Optional.empty();
      }
      return Optional.of(encoded(digest));
    }

    private static String encoded(byte[] digest) {
      return Base64.getEncoder().withoutPadding().encodeToString(digest);
    }

    private void certificates(Wire section) throws RefusedException {
      byte[] blob = section.string("authority's key");
      section.string("reserved field");
      Optional<PublicKey> authority = Optional.empty();
      boolean isStrange = false;
      if (blob.length > 0) {
        try {
          authority = Optional.of(PublicBlob.read(blob));
        } catch (RefusedException strange) {
          isStrange = true;
          leftOut.add(
              "Certificates of an authority whose key is strange: " + strange.refusal().sentence());
        }
      }
      BigInteger serials = BigInteger.ZERO;
      int keyIds = 0;
      while (!section.atEnd()) {
        int kind = section.octet("part's kind");
        Wire part = new Wire(section.string("part"));
        switch (kind) {
          case SERIAL_LIST -> {
            for (; !part.atEnd(); serials = serials.add(BigInteger.ONE)) {
              part.large("serial number");
            }
          }
          case SERIAL_RANGE -> {
            BigInteger first = serial(part);
            serials = serials.add(serial(part).subtract(first).add(BigInteger.ONE));
          }
          case SERIAL_BITMAP -> {
            part.large("first serial number");
            int bits = new BigInteger(1, part.string("bitmap")).bitCount();
            serials = serials.add(BigInteger.valueOf(bits));
          }
          case KEY_ID -> {
            for (; !part.atEnd(); keyIds++) {
              part.string("key id");
            }
          }
          default -> leftOut.add("Certificates in a part of the unknown kind " + kind + ".");
        }
      }
      if (!isStrange) {
        certificates.add(new RevokedCertificates(authority, serials, keyIds));
      }
    }

    private static BigInteger serial(Wire wire) throws RefusedException {
      return new BigInteger(Long.toUnsignedString(wire.large("serial number")));
    }
  }

  private static RefusedException refused(String sentence) {
    return new RefusedException(
        Reason.OTHER_FORM, sentence, "Ask for the list of keys in another form.", -1);
  }
}
