package tolvin.core.proof;

import java.math.BigInteger;
import java.nio.charset.StandardCharsets;
import java.time.Instant;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.Optional;
import tolvin.core.key.KeyType;
import tolvin.core.key.PlainText;
import tolvin.core.key.PublicBlob;
import tolvin.core.key.PublicKey;
import tolvin.core.key.Refusal.Reason;
import tolvin.core.key.RefusedException;
import tolvin.core.key.Wire;
import tolvin.core.key.WireOut;

/**
 * An OpenSSH certificate (PROTOCOL.certkeys): what it says, shown whole, and whether its signature
 * holds. It is never registered as a key.
 *
 * @param typeWord its type word
 * @param key the key that it was made for
 * @param serial the authority's number, from 0 to 2^64 - 1
 * @param host whether it names a host; otherwise a user
 * @param keyId what the authority calls it
 * @param principals the names that it is good for; none means all
 * @param validAfter the first moment of validity, absent if from ever
 * @param validBefore the first moment after validity, absent if for ever
 * @param criticalOptions options that a server must understand, {@code name=value}
 * @param extensions options that a server may ignore
 * @param signed who signed it, and whether the signature holds
 */
public record KeyCertificate(
    String typeWord,
    PublicKey key,
    BigInteger serial,
    boolean host,
    String keyId,
    List<String> principals,
    Optional<Instant> validAfter,
    Optional<Instant> validBefore,
    List<String> criticalOptions,
    List<String> extensions,
    Signed signed) {

  /**
   * Who signed a certificate.
   *
   * @param authority the key of the authority that it names
   * @param algorithm how it was signed
   * @param fault why the signature does not hold; empty if it does
   */
  public record Signed(PublicKey authority, String algorithm, Optional<String> fault) {}

  private static final String SUFFIX = "-cert-v01@openssh.com";
  private static final int MAX_PRINCIPALS = 256;

  /** Whether a word is the type word of a certificate. */
  public static boolean isTypeWord(String word) {
    return word.endsWith(SUFFIX) && keyWord(word).isPresent();
  }

  private static Optional<KeyType> keyWord(String word) {
    String stem = word.substring(0, word.length() - SUFFIX.length());
    return KeyType.ofWord(stem).or(() -> KeyType.ofWord(stem + "@openssh.com"));
  }

  /**
   * Reads a certificate's blob.
   *
   * @throws RefusedException if it is anything but one whole certificate
   */
  public static KeyCertificate read(byte[] blob) throws RefusedException {
    Wire wire = new Wire(blob);
    String word = new String(wire.string("type word"), StandardCharsets.US_ASCII);
    if (!isTypeWord(word)) {
      throw refused(Reason.UNKNOWN_TYPE, "This is not an OpenSSH certificate.");
    }
    KeyType type = keyWord(word).orElseThrow();
    wire.string("nonce");
    WireOut bare = new WireOut().string(type.word());
    int fields = type == KeyType.RSA || type == KeyType.SK_ED25519 ? 2 : 1;
    fields += type.curve().isEmpty() ? 0 : type.hardware() ? 2 : 1;
    for (int i = 0; i < fields; i++) {
      bare.string(wire.string("public key"));
    }
    PublicKey key = PublicBlob.read(bare.toBytes());
    BigInteger serial = new BigInteger(Long.toUnsignedString(wire.large("serial number")));
    long kind = wire.number("kind");
    if (kind != 1 && kind != 2) {
      throw refused(Reason.OTHER_FORM, "The certificate is neither for a user nor for a host.");
    }
    String keyId = text(wire.string("key id"));
    List<String> principals = new ArrayList<>();
    Wire names = new Wire(wire.string("list of principals"));
    while (!names.atEnd()) {
      if (principals.size() == MAX_PRINCIPALS) {
        throw refused(Reason.TOO_LARGE, "The certificate names more than 256 principals.");
      }
      principals.add(text(names.string("principal")));
    }
    long after = wire.large("beginning of validity");
    long before = wire.large("end of validity");
    List<String> critical = options(wire.string("critical options"));
    List<String> extensions = options(wire.string("extensions"));
    wire.string("reserved field");
    PublicKey authority = PublicBlob.read(wire.string("authority's key"));
    byte[] said = Arrays.copyOf(blob, wire.at());
    byte[] signature = wire.string("signature");
    String algorithm = text(new Wire(signature).string("signature's algorithm"));
    wire.end();
    return new KeyCertificate(
        word,
        key,
        serial,
        kind == 2,
        keyId,
        List.copyOf(principals),
        after == 0 ? Optional.empty() : moment(after),
        before == -1 ? Optional.empty() : moment(before),
        critical,
        extensions,
        new Signed(authority, algorithm, fault(authority, said, signature)));
  }

  private static Optional<String> fault(PublicKey authority, byte[] said, byte[] signature) {
    try {
      SignatureCheck.check(authority, said, signature);
      return Optional.empty();
    } catch (RefusedException refused) {
      return Optional.of(refused.refusal().sentence());
    }
  }

  /** Seconds since 1970; what lies beyond the year 9999 is shown as its last second. */
  private static Optional<Instant> moment(long seconds) {
    long last = Instant.parse("9999-12-31T23:59:59Z").getEpochSecond();
    return Optional.of(
        Instant.ofEpochSecond(Long.compareUnsigned(seconds, last) > 0 ? last : seconds));
  }

  private static List<String> options(byte[] packed) throws RefusedException {
    List<String> options = new ArrayList<>();
    Wire wire = new Wire(packed);
    while (!wire.atEnd()) {
      String name = text(wire.string("option's name"));
      byte[] data = wire.string("option's data");
      options.add(data.length == 0 ? name : name + '=' + text(new Wire(data).string("value")));
    }
    return List.copyOf(options);
  }

  private static String text(byte[] bytes) {
    return PlainText.shown(new String(bytes, StandardCharsets.UTF_8));
  }

  private static RefusedException refused(Reason reason, String sentence) {
    return new RefusedException(reason, sentence, "Ask the authority for it again.", -1);
  }
}
