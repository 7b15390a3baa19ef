package tolvin.core.key;

import java.util.Arrays;
import java.util.Base64;
import java.util.Optional;

/**
 * One public key in its one spelling. Only {@link PublicBlob} makes them, so every one of them has
 * passed its checks.
 */
public final class PublicKey {
  private final KeyType type;
  private final int bits;
  private final String application;
  private final byte[] blob;
  private final String fingerprint;

  PublicKey(KeyType type, int bits, String application, byte[] blob) {
    this.type = type;
    this.bits = bits;
    this.application = application;
    this.blob = blob;
    this.fingerprint = Fingerprint.text(blob);
  }

  /** The key's type. */
  public KeyType type() {
    return type;
  }

  /** The size in bits: of the modulus for RSA, of the curve for the others. */
  public int bits() {
    return bits;
  }

  /** The application string of a hardware-backed key (PROTOCOL.u2f), usually {@code ssh:}. */
  public Optional<String> application() {
    return Optional.ofNullable(application);
  }

  /** The wire blob (RFC 4253 section 6.6); a copy. */
  public byte[] blob() {
    return blob.clone();
  }

  /** The numbers that the key is made of. */
  public KeyNumbers numbers() {
    return KeyNumbers.of(type, blob);
  }

  /** The SHA-256 fingerprint. */
  public Fingerprint fingerprint() {
    return new Fingerprint(fingerprint);
  }

  /** The text of the SHA-256 fingerprint. */
  public String fingerprintText() {
    return fingerprint;
  }

  /** The MD5 fingerprint with colons, as older systems show it. */
  public String md5() {
    return Fingerprint.md5(blob);
  }

  /** Type word and base64 body, without a comment: the form in which keys are compared. */
  public String line() {
    return type.word() + ' ' + Base64.getEncoder().encodeToString(blob);
  }

  /** The one-line form with a comment; an empty comment leaves nothing behind the body. */
  public String line(String comment) {
    return comment.isEmpty() ? line() : line() + ' ' + comment;
  }

  @Override
  public boolean equals(Object other) {
    return other instanceof PublicKey key && Arrays.equals(blob, key.blob);
  }

  @Override
  public int hashCode() {
    return Arrays.hashCode(blob);
  }

  @Override
  public String toString() {
    return type.label() + ' ' + bits + ' ' + fingerprint;
  }
}
