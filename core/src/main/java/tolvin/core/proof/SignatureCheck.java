package tolvin.core.proof;

import java.nio.charset.StandardCharsets;
import java.security.GeneralSecurityException;
import java.security.KeyFactory;
import java.security.MessageDigest;
import java.security.NoSuchAlgorithmException;
import java.security.Signature;
import java.security.spec.X509EncodedKeySpec;
import java.util.Base64;
import java.util.Optional;
import tolvin.core.form.DerKeys;
import tolvin.core.key.KeyType;
import tolvin.core.key.PlainText;
import tolvin.core.key.PublicKey;
import tolvin.core.key.Refusal.Reason;
import tolvin.core.key.RefusedException;
import tolvin.core.key.Wire;
import tolvin.core.key.WireOut;
import tolvin.core.pair.EcdsaNumbers;
import tolvin.core.pair.SignatureAlgorithm;

/**
 * Verifies signatures as SSH writes them: RFC 4253 section 6.6, RFC 8332 section 3, RFC 5656
 * section 3.1.2, RFC 8709 section 6, and OpenSSH PROTOCOL.u2f for security keys, also those that a
 * browser asked for a signature.
 */
public final class SignatureCheck {
  private static final int EXTENSIONS = 0x80;
  private static final int ATTESTED_DATA = 0x40;

  private SignatureCheck() {}

  /**
   * A signature that holds.
   *
   * @param algorithm what it was made with
   * @param device what the security key said; empty for other keys
   */
  public record Checked(SignatureAlgorithm algorithm, Optional<DeviceWord> device) {}

  /**
   * Verifies a signature.
   *
   * @param key whose it shall be
   * @param data what was signed
   * @param signature the algorithm's word and its bytes
   * @throws RefusedException if it does not hold, with the reason
   */
  public static Checked check(PublicKey key, byte[] data, byte[] signature)
      throws RefusedException {
    Wire wire = new Wire(signature);
    String word = new String(wire.string("signature algorithm"), StandardCharsets.US_ASCII);
    SignatureAlgorithm algorithm =
        SignatureAlgorithm.ofWord(word)
            .filter(a -> a.type() == key.type())
            .orElseThrow(() -> otherAlgorithm(word, key.type()));
    byte[] bytes = wire.string("signature");
    byte[] signed = data;
    Optional<DeviceWord> device = Optional.empty();
    if (key.type().hardware()) {
      int flags = wire.octet("flags");
      long counter = wire.number("counter");
      byte[] message = sha256(data);
      byte[] extensions = new byte[0];
      Optional<String> origin = Optional.empty();
      if (algorithm == SignatureAlgorithm.SK_ECDSA_BROWSER) {
        String page = new String(wire.string("origin"), StandardCharsets.UTF_8);
        byte[] clientData = wire.string("client data");
        extensions = wire.string("extensions");
        checkBrowser(page, clientData, data, flags, extensions);
        message = sha256(clientData);
        origin = Optional.of(page);
      }
      device = Optional.of(new DeviceWord(flags, counter, origin));
      signed = deviceData(key.application().orElseThrow(), flags, counter, extensions, message);
    }
    wire.end();
    if (algorithm.width() > 0) {
      bytes = EcdsaNumbers.fromWire(bytes, algorithm.width());
    }
    if (!holds(key, algorithm.platformName(), signed, bytes)) {
      throw bad();
    }
    return new Checked(algorithm, device);
  }

  /**
   * What a security key really signs.
   *
   * @param message the SHA-256 hash of the data, or of the browser's client data
   */
  public static byte[] deviceData(
      String application, int flags, long counter, byte[] extensions, byte[] message) {
    return new WireOut()
        .raw(sha256(application.getBytes(StandardCharsets.UTF_8)))
        .raw(new byte[] {(byte) flags})
        .number((int) counter)
        .raw(extensions)
        .raw(message)
        .toBytes();
  }

  /** The browser must have been asked for just this, and must say so in just this spelling. */
  private static void checkBrowser(
      String page, byte[] clientData, byte[] data, int flags, byte[] extensions)
      throws RefusedException {
    String wanted =
        "{\"type\":\"webauthn.get\",\"challenge\":\""
            + Base64.getUrlEncoder().withoutPadding().encodeToString(data)
            + "\",\"origin\":\""
            + page
            + "\"";
    boolean consistent = (flags & EXTENSIONS) != 0 == extensions.length > 0;
    if (page.indexOf('"') >= 0
        || !PlainText.isPlain(page)
        || (flags & ATTESTED_DATA) != 0
        || !consistent
        || !new String(clientData, StandardCharsets.UTF_8).startsWith(wanted)) {
      throw new RefusedException(
          Reason.BAD_SIGNATURE,
          "What the browser signed is not what it was asked to sign.",
          "Sign the challenge again.",
          -1);
    }
  }

  /** Whether a signature of the platform's own form holds. */
  static boolean holds(PublicKey key, String platformName, byte[] data, byte[] signature) {
    try {
      Signature check = Signature.getInstance(platformName);
      check.initVerify(platformKey(key));
      check.update(data);
      return check.verify(signature);
    } catch (GeneralSecurityException malformed) {
      return false;
    }
  }

  /** The key's numbers as the Java platform verifies with them. */
  private static java.security.PublicKey platformKey(PublicKey key)
      throws GeneralSecurityException {
    try {
      byte[] spki = DerKeys.writeSpki(key.type().hardware() ? key.numbers().key() : key);
      String name =
          switch (key.type()) {
            case RSA -> "RSA";
            case ED25519, SK_ED25519 -> "Ed25519";
            default -> "EC";
          };
      return KeyFactory.getInstance(name).generatePublic(new X509EncodedKeySpec(spki));
    } catch (RefusedException impossible) {
      throw new IllegalStateException("a key that was read can be written", impossible);
    }
  }

  static byte[] sha256(byte[] data) {
    return hash("SHA-256", data);
  }

  static byte[] hash(String algorithm, byte[] data) {
    try {
      return MessageDigest.getInstance(algorithm).digest(data);
    } catch (NoSuchAlgorithmException impossible) {
      throw new IllegalStateException("every Java platform has " + algorithm, impossible);
    }
  }

  static RefusedException bad() {
    return new RefusedException(
        Reason.BAD_SIGNATURE,
        "The signature does not hold: it is of other data, or of another key, or was changed on the"
            + " way.",
        "Sign the challenge as it stands, byte for byte, and give the signature unchanged.",
        -1);
  }

  private static RefusedException otherAlgorithm(String word, KeyType type) {
    String sentence =
        word.equals("ssh-rsa")
            ? "The signature was made over a SHA-1 hash (ssh-rsa), which proves nothing any more."
            : "The signature's algorithm is none that a key of type "
                + type.word()
                + " signs with"
                + (PlainText.isPlain(word) && word.length() < 64 ? " (" + word + ")" : "")
                + ".";
    return new RefusedException(
        Reason.OTHER_ALGORITHM,
        sentence,
        "Sign with a current ssh-keygen, which uses rsa-sha2-512 for RSA by itself.",
        -1);
  }
}
