package tolvin.core.form;

import java.math.BigInteger;
import java.util.HexFormat;
import java.util.Map;
import java.util.Optional;
import tolvin.core.key.KeyNumbers;
import tolvin.core.key.PublicKey;
import tolvin.core.key.Refusal.Reason;
import tolvin.core.key.RefusedException;

/**
 * Public keys in DER: SubjectPublicKeyInfo (RFC 5280 section 4.1; RFC 3279 section 2.3.1 for RSA,
 * RFC 5480 for the curves, RFC 8410 for Ed25519), RSAPublicKey of PKCS#1 (RFC 8017 appendix A.1.1)
 * and the one inside an X.509 certificate (RFC 5280 section 4.1), of which nothing but the key is
 * taken: neither its signature nor its dates are looked at.
 */
public final class DerKeys {
  private static final String RSA = "2a864886f70d010101"; // 1.2.840.113549.1.1.1
  private static final String EC = "2a8648ce3d0201"; // 1.2.840.10045.2.1
  private static final String ED25519 = "2b6570"; // 1.3.101.112
  private static final Map<String, String> CURVES =
      Map.of(
          "2a8648ce3d030107", "nistp256", // 1.2.840.10045.3.1.7
          "2b81040022", "nistp384", // 1.3.132.0.34
          "2b81040023", "nistp521"); // 1.3.132.0.35
  private static final Map<String, String> OTHERS =
      Map.of(
          "2b656e", "X25519, which agrees on secrets and cannot sign",
          "2b656f", "X448, which agrees on secrets and cannot sign",
          "2b6571", "Ed448, which SSH does not use",
          "2a8648ce380401", "DSA, which is broken",
          "2a864886f70d01010a", "RSA bound to PSS, which SSH does not use",
          "2a864886f70d010301", "Diffie-Hellman, which cannot sign");

  private DerKeys() {}

  /**
   * A key and the form that it came in.
   *
   * @param form SPKI, PKCS#1 or X.509
   * @param key the key
   */
  public record Found(Form form, PublicKey key) {}

  /**
   * Reads whichever of the three forms it is.
   *
   * @throws RefusedException if it is none of them, or not a key that SSH signs in with
   */
  public static Found read(byte[] der) throws RefusedException {
    Der inside = new Der(der).enter(Der.SEQUENCE, "first element");
    if (inside.tag() == Der.INTEGER) {
      return new Found(Form.PKCS1_PEM, readPkcs1(der));
    }
    Der first = inside.enter(Der.SEQUENCE, "first element");
    return first.tag() == Der.OBJECT_IDENTIFIER
        ? new Found(Form.SPKI_DER, readSpki(der))
        : new Found(Form.X509, readCertificate(der));
  }

  /**
   * Reads a SubjectPublicKeyInfo.
   *
   * @throws RefusedException if it is anything but one key that SSH signs in with
   */
  public static PublicKey readSpki(byte[] der) throws RefusedException {
    Der whole = new Der(der);
    Der info = whole.enter(Der.SEQUENCE, "key information");
    whole.end("key information");
    Der algorithm = info.enter(Der.SEQUENCE, "algorithm");
    String name = algorithm.identifier("algorithm's name");
    byte[] body = info.bits("key body");
    info.end("key body");
    return switch (name) {
      case RSA -> {
        byte[] none = algorithm.enter(Der.NULL, "algorithm's empty parameters").rest();
        if (none.length > 0) {
          throw new RefusedException(
              Reason.OTHER_SPELLING,
              "The algorithm carries parameters that RSA does not have.",
              "Export the public key again with a current tool.",
              -1);
        }
        algorithm.end("algorithm");
        yield readPkcs1(body);
      }
      case EC -> {
        String curve = CURVES.get(curveOf(algorithm));
        if (curve == null) {
          throw unknown("a curve that SSH does not use");
        }
        algorithm.end("algorithm");
        yield new KeyNumbers.Point(curve, body).key();
      }
      case ED25519 -> {
        algorithm.end("algorithm");
        yield new KeyNumbers.Edwards25519(body).key();
      }
      default -> throw unknown(OTHERS.getOrDefault(name, "an algorithm that SSH does not use"));
    };
  }

  private static String curveOf(Der algorithm) throws RefusedException {
    if (algorithm.tag() == Der.SEQUENCE) {
      throw new RefusedException(
          Reason.OTHER_SPELLING,
          "The curve is described by its numbers instead of its name (RFC 5480 section 2.1.1).",
          "Export the public key again with named curves.",
          -1);
    }
    return algorithm.identifier("curve's name");
  }

  /**
   * What an algorithm is that SSH does not sign in with.
   *
   * @param identifier its object identifier as it is encoded, without tag and length
   * @return empty if nothing is known of it
   */
  public static Optional<String> otherAlgorithm(byte[] identifier) {
    return Optional.ofNullable(OTHERS.get(HexFormat.of().formatHex(identifier)));
  }

  private static RefusedException unknown(String what) {
    return new RefusedException(
        Reason.UNKNOWN_TYPE,
        "The key is for " + what + ".",
        "Make an Ed25519, ECDSA or RSA key.",
        -1);
  }

  /**
   * Reads an RSAPublicKey of PKCS#1.
   *
   * @throws RefusedException if it is anything else
   */
  public static PublicKey readPkcs1(byte[] der) throws RefusedException {
    Der whole = new Der(der);
    Der numbers = whole.enter(Der.SEQUENCE, "RSA key");
    whole.end("RSA key");
    BigInteger modulus = numbers.positive("modulus");
    BigInteger exponent = numbers.positive("exponent");
    numbers.end("exponent");
    return new KeyNumbers.Rsa(modulus, exponent).key();
  }

  /**
   * Reads the public key inside an X.509 certificate.
   *
   * @throws RefusedException if it is no certificate, or its key is none that SSH signs in with
   */
  public static PublicKey readCertificate(byte[] der) throws RefusedException {
    Der whole = new Der(der);
    Der certificate = whole.enter(Der.SEQUENCE, "certificate");
    whole.end("certificate");
    Der signed = certificate.enter(Der.SEQUENCE, "certificate's signed part");
    certificate.enter(Der.SEQUENCE, "signature algorithm");
    certificate.bits("signature");
    certificate.end("signature");
    if (signed.tag() == 0xa0) {
      signed.skip("version");
    }
    signed.enter(Der.INTEGER, "serial number");
    for (String part : new String[] {"signature algorithm", "issuer", "validity", "subject"}) {
      signed.enter(Der.SEQUENCE, part);
    }
    return readSpki(signed.element("key information"));
  }

  /**
   * Writes a SubjectPublicKeyInfo.
   *
   * @throws RefusedException if the key is hardware-backed, which this form cannot say
   */
  public static byte[] writeSpki(PublicKey key) throws RefusedException {
    KeyNumbers numbers = plain(key, "SPKI");
    if (numbers instanceof KeyNumbers.Rsa) {
      return Der.write(
          Der.SEQUENCE,
          Der.write(Der.SEQUENCE, Der.identifierOf(RSA), Der.write(Der.NULL)),
          Der.bitsOf(writePkcs1(key)));
    }
    if (numbers instanceof KeyNumbers.Point point) {
      String curve =
          CURVES.entrySet().stream()
              .filter(e -> e.getValue().equals(point.curve()))
              .findFirst()
              .orElseThrow()
              .getKey();
      return Der.write(
          Der.SEQUENCE,
          Der.write(Der.SEQUENCE, Der.identifierOf(EC), Der.identifierOf(curve)),
          Der.bitsOf(point.point()));
    }
    return Der.write(
        Der.SEQUENCE,
        Der.write(Der.SEQUENCE, Der.identifierOf(ED25519)),
        Der.bitsOf(((KeyNumbers.Edwards25519) numbers).point()));
  }

  /**
   * Writes an RSAPublicKey of PKCS#1.
   *
   * @throws RefusedException if the key is not RSA
   */
  public static byte[] writePkcs1(PublicKey key) throws RefusedException {
    if (key.numbers() instanceof KeyNumbers.Rsa rsa) {
      return Der.write(Der.SEQUENCE, Der.integerOf(rsa.modulus()), Der.integerOf(rsa.exponent()));
    }
    throw new RefusedException(
        Reason.OTHER_FORM,
        "PKCS#1 is a form for RSA keys; this is " + key.type().label() + ".",
        "Choose spki-pem instead.",
        -1);
  }

  /** The numbers of a key that is not hardware-backed; a form without a word for those refuses. */
  static KeyNumbers plain(PublicKey key, String form) throws RefusedException {
    if (key.type().hardware()) {
      throw new RefusedException(
          Reason.OTHER_FORM,
          form + " has no word for hardware-backed keys; what it would say is another key.",
          "Give it out as one line.",
          -1);
    }
    return key.numbers();
  }
}
