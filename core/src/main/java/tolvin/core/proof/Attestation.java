package tolvin.core.proof;

import java.io.ByteArrayInputStream;
import java.math.BigInteger;
import java.nio.charset.StandardCharsets;
import java.security.GeneralSecurityException;
import java.security.Signature;
import java.security.cert.CertificateFactory;
import java.security.cert.X509Certificate;
import java.time.Instant;
import java.util.Arrays;
import java.util.Date;
import java.util.List;
import java.util.Map;
import java.util.UUID;
import tolvin.core.key.KeyNumbers;
import tolvin.core.key.KeyType;
import tolvin.core.key.PublicKey;
import tolvin.core.key.Refusal.Reason;
import tolvin.core.key.RefusedException;
import tolvin.core.key.Wire;

/**
 * The attestation that a security key gives when it makes a key, as {@code ssh-keygen -O
 * write-attestation} keeps it: {@code ssh-sk-attest-v01} of OpenSSH PROTOCOL.u2f, around the
 * authenticator data of WebAuthn section 6.1 and a signature by the rule of section 8.2 ("packed")
 * over that data and the SHA-256 hash of the challenge.
 *
 * @param certificate the device's certificate in DER; empty if the device gave none
 * @param signature by that certificate's key
 * @param authenticatorData what the device says about itself and the key, unwrapped
 */
public record Attestation(byte[] certificate, byte[] signature, byte[] authenticatorData) {
  private static final String MAGIC = "ssh-sk-attest-v01";
  private static final String FORMER_MAGIC = "ssh-sk-attest-v00";
  private static final String MODEL_EXTENSION = "1.3.6.1.4.1.45724.1.1.4"; // WebAuthn section 8.2.1
  private static final int HASH = 32;
  private static final int FLAGS_AND_COUNTER = 5;
  private static final int MODEL = 16;
  private static final int HAS_KEY = 0x40;
  private static final String AGAIN =
      "Make the key again with ssh-keygen -O challenge=FILE -O write-attestation=FILE, and give both"
          + " files as they were written.";

  /**
   * What an attestation proves: that a key was made inside a device of this model.
   *
   * @param model the model's identifier (AAGUID)
   * @param maker who signed the device's certificate
   * @param subject whom that certificate names
   * @param device what the device said when it made the key
   */
  public record Attested(UUID model, String maker, String subject, DeviceWord device) {}

  /**
   * Reads an attestation file.
   *
   * @throws RefusedException if it is none
   */
  public static Attestation read(byte[] file) throws RefusedException {
    try {
      Wire wire = new Wire(file);
      String magic = new String(wire.string("first word"), StandardCharsets.US_ASCII);
      if (magic.equals(FORMER_MAGIC)) {
        throw new RefusedException(
            Reason.BAD_ATTESTATION,
            "The attestation is of a former version, without the device's own data, by which it"
                + " cannot be checked.",
            AGAIN,
            -1);
      }
      if (!magic.equals(MAGIC)) {
        throw notOne();
      }
      byte[] certificate = wire.string("certificate");
      byte[] signature = wire.string("signature");
      byte[] wrapped = wire.string("authenticator data");
      wire.number("reserved flags");
      wire.string("reserved string");
      wire.end();
      if (wrapped.length == 0) {
        return new Attestation(certificate, signature, wrapped);
      }
      Cbor cbor = new Cbor(wrapped, 0);
      byte[] data = cbor.bytes();
      if (!cbor.atEnd()) {
        throw notOne();
      }
      return new Attestation(certificate, signature, data);
    } catch (RefusedException e) {
      if (e.refusal().reason() == Reason.BAD_ATTESTATION) {
        throw e;
      }
      throw notOne();
    }
  }

  private static RefusedException notOne() {
    return new RefusedException(
        Reason.BAD_ATTESTATION, "This is no attestation file of a security key.", AGAIN, -1);
  }

  /** Whether the device vouched for the key at all. */
  public boolean isEmpty() {
    return certificate.length == 0;
  }

  /**
   * Checks it whole.
   *
   * @param key the key that it shall be of
   * @param challenge what was given to the device when the key was made
   * @param anchors the certificates that the administrator trusts
   * @throws RefusedException with {@link Reason#NO_ATTESTATION}, {@link Reason#UNKNOWN_MAKER} or
   *     {@link Reason#BAD_ATTESTATION}
   */
  public Attested check(PublicKey key, byte[] challenge, List<X509Certificate> anchors, Instant now)
      throws RefusedException {
    if (!key.type().hardware()) {
      throw bad("The key is not hardware-backed, so no attestation can be of it.");
    }
    if (isEmpty()) {
      throw new RefusedException(
          Reason.NO_ATTESTATION,
          "No attestation: the device gave no certificate, so nothing shows which device it is.",
          "Use a device that attests, or let a person who saw the device vouch for it.",
          -1);
    }
    X509Certificate device = x509(certificate);
    if (!signed(device, challenge)) {
      throw bad(
          "The device's signature does not fit: the attestation was made for another challenge, or"
              + " was changed.");
    }
    byte[] data = authenticatorData;
    if (data.length < HASH + FLAGS_AND_COUNTER + MODEL + 2 || (data[HASH] & HAS_KEY) == 0) {
      throw bad("The attestation does not say which key was made.");
    }
    byte[] application = key.application().orElseThrow().getBytes(StandardCharsets.UTF_8);
    if (!Arrays.equals(SignatureCheck.sha256(application), Arrays.copyOf(data, HASH))) {
      throw bad("The attestation is of a key with another application.");
    }
    long counter = new BigInteger(1, Arrays.copyOfRange(data, HASH + 1, HASH + 5)).longValue();
    int at = HASH + FLAGS_AND_COUNTER;
    final UUID model = uuid(Arrays.copyOfRange(data, at, at + MODEL));
    at += MODEL;
    int handle = (data[at] & 0xff) << 8 | data[at + 1] & 0xff;
    at += 2;
    if (handle > data.length - at) {
      throw bad("The attestation ends in the middle.");
    }
    if (!Arrays.equals(point(new Cbor(data, at + handle).map(), key.type()), pointOf(key))) {
      throw bad("The attestation is of another key.");
    }
    checkModel(device, model);
    return new Attested(
        model,
        maker(device, anchors, now),
        device.getSubjectX500Principal().getName(),
        new DeviceWord(data[HASH] & 0xff, counter, java.util.Optional.empty()));
  }

  private boolean signed(X509Certificate device, byte[] challenge) {
    try {
      String name =
          switch (device.getPublicKey().getAlgorithm()) {
            case "EC" -> "SHA256withECDSA";
            case "EdDSA", "Ed25519" -> "Ed25519";
            default -> "SHA256withRSA";
          };
      Signature check = Signature.getInstance(name);
      check.initVerify(device.getPublicKey());
      check.update(authenticatorData);
      check.update(SignatureCheck.sha256(challenge));
      return check.verify(signature);
    } catch (GeneralSecurityException malformed) {
      return false;
    }
  }

  /** The point in a COSE key (RFC 9052 section 7, RFC 9053 section 7): -1 the curve, -2 and -3. */
  private static byte[] point(Map<Long, Object> cose, KeyType type) throws RefusedException {
    boolean edwards = type == KeyType.SK_ED25519;
    Object curve = cose.get(-1L);
    if (!Long.valueOf(edwards ? 6 : 1).equals(curve)
        || !(cose.get(-2L) instanceof byte[] x)
        || x.length != HASH) {
      throw bad("The attestation is of a key of another type.");
    }
    if (edwards) {
      return x;
    }
    if (!(cose.get(-3L) instanceof byte[] y) || y.length != HASH) {
      throw bad("The attestation is of a key of another type.");
    }
    byte[] point = new byte[1 + 2 * HASH];
    point[0] = 4;
    System.arraycopy(x, 0, point, 1, HASH);
    System.arraycopy(y, 0, point, 1 + HASH, HASH);
    return point;
  }

  private static byte[] pointOf(PublicKey key) {
    return key.numbers() instanceof KeyNumbers.Point point
        ? point.point()
        : ((KeyNumbers.Edwards25519) key.numbers()).point();
  }

  /** A certificate that names a model must name this one (WebAuthn section 8.2). */
  private static void checkModel(X509Certificate device, UUID model) throws RefusedException {
    byte[] extension = device.getExtensionValue(MODEL_EXTENSION);
    if (extension == null) {
      return;
    }
    int from = extension.length - MODEL;
    if (from < 0 || !uuid(Arrays.copyOfRange(extension, from, extension.length)).equals(model)) {
      throw bad("The device's certificate names another model than the device.");
    }
  }

  private static String maker(X509Certificate device, List<X509Certificate> anchors, Instant now)
      throws RefusedException {
    for (X509Certificate maker : anchors) {
      boolean itself = maker.equals(device);
      if (itself || maker.getBasicConstraints() >= 0 && issued(maker, device)) {
        try {
          device.checkValidity(Date.from(now));
          maker.checkValidity(Date.from(now));
        } catch (GeneralSecurityException e) {
          throw bad("The device's certificate, or its maker's, is not valid at this time.");
        }
        return maker.getSubjectX500Principal().getName();
      }
    }
    throw new RefusedException(
        Reason.UNKNOWN_MAKER,
        "The device's certificate was signed by “"
            + device.getIssuerX500Principal().getName()
            + "”, which is no maker that is trusted here.",
        "If you know this maker, add its certificate: tolvin maker add FILE",
        -1);
  }

  private static boolean issued(X509Certificate maker, X509Certificate device) {
    try {
      device.verify(maker.getPublicKey());
      return device.getIssuerX500Principal().equals(maker.getSubjectX500Principal());
    } catch (GeneralSecurityException notThisOne) {
      return false;
    }
  }

  /**
   * Reads one certificate in DER or PEM.
   *
   * @throws RefusedException if it is none
   */
  public static X509Certificate x509(byte[] certificate) throws RefusedException {
    try {
      return (X509Certificate)
          CertificateFactory.getInstance("X.509")
              .generateCertificate(new ByteArrayInputStream(certificate));
    } catch (GeneralSecurityException | ClassCastException e) {
      throw bad("The certificate cannot be read.");
    }
  }

  private static UUID uuid(byte[] bytes) {
    BigInteger number = new BigInteger(1, bytes);
    return new UUID(number.shiftRight(64).longValue(), number.longValue());
  }

  private static RefusedException bad(String sentence) {
    return new RefusedException(Reason.BAD_ATTESTATION, sentence, AGAIN, -1);
  }
}
