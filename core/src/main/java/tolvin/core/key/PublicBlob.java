package tolvin.core.key;

import java.math.BigInteger;
import java.nio.ByteBuffer;
import java.nio.charset.CharacterCodingException;
import java.nio.charset.StandardCharsets;
import java.util.Base64;
import java.util.Optional;
import tolvin.core.key.Refusal.Reason;

/**
 * Reads the wire form of a public key (RFC 4253 section 6.6, RFC 5656 section 3.1, RFC 8709 section
 * 4, PROTOCOL.u2f), strictly: every length, every number, nothing left over, one spelling.
 */
public final class PublicBlob {
  private static final int MIN_RSA_BITS = 1024;
  private static final int MAX_RSA_BITS = 16384;
  private static final int MAX_EXPONENT_BITS = 256;
  private static final int MAX_APPLICATION = 1024;

  /** Products of the odd primes from 3 to 139 that fit into 63 bits each. */
  private static final BigInteger[] SMALL_PRIMES = {
    product(3, 5, 7, 11, 13, 17, 19, 23, 29, 31, 37, 41, 43, 47),
    product(53, 59, 61, 67, 71, 73, 79, 83, 89, 97),
    product(101, 103, 107, 109, 113, 127, 131, 137, 139)
  };

  private PublicBlob() {}

  /**
   * Reads a blob.
   *
   * @throws RefusedException if it is anything but one well-formed public key
   */
  public static PublicKey read(byte[] blob) throws RefusedException {
    Wire wire = new Wire(blob);
    int length = wire.length("type word");
    KeyType type = KeyType.ofBytes(blob, wire.at(), wire.at() + length);
    if (type == null) {
      throw unknown(new String(blob, wire.at(), Math.min(length, 64), StandardCharsets.US_ASCII));
    }
    wire.skip(length);
    int bits =
        switch (type) {
          case RSA -> rsa(wire);
          case ECDSA_P256, ECDSA_P384, ECDSA_P521, SK_ECDSA_P256 -> ecdsa(wire, type);
          case ED25519, SK_ED25519 -> ed25519(wire, blob);
        };
    String application = type.hardware() ? application(wire) : null;
    wire.end();
    return new PublicKey(type, bits, application, blob.clone());
  }

  /**
   * The one-line form of a key that was read before and kept, without reading it again.
   *
   * @param blob what was kept
   */
  public static String line(byte[] blob, String comment) {
    int length = ByteBuffer.wrap(blob).getInt();
    String word = new String(blob, Integer.BYTES, length, StandardCharsets.US_ASCII);
    String line = word + ' ' + Base64.getEncoder().encodeToString(blob);
    return comment.isEmpty() ? line : line + ' ' + comment;
  }

  private static int rsa(Wire wire) throws RefusedException {
    BigInteger exponent = wire.positive("exponent");
    BigInteger modulus = wire.positive("modulus");
    int bits = modulus.bitLength();
    String fault = null;
    if (bits < MIN_RSA_BITS || bits > MAX_RSA_BITS) {
      fault = "The RSA modulus has " + bits + " bits; 1024 to 16384 are plausible.";
    } else if (!exponent.testBit(0) || exponent.bitLength() < 2) {
      fault = "The RSA exponent is even or 1, which no signature can be checked with.";
    } else if (exponent.bitLength() > MAX_EXPONENT_BITS) {
      fault = "The RSA exponent has more than 256 bits.";
    } else if (!modulus.testBit(0) || hasSmallFactor(modulus)) {
      fault = "The RSA modulus has a small prime factor, so it is not the product of two primes.";
    }
    if (fault != null) {
      throw new RefusedException(
          Reason.IMPLAUSIBLE_NUMBERS, fault, "Make a new key; Ed25519 if the system takes it.", -1);
    }
    return bits;
  }

  private static int ecdsa(Wire wire, KeyType type) throws RefusedException {
    String curve = new String(wire.string("curve name"), StandardCharsets.US_ASCII);
    if (!curve.equals(type.curve())) {
      throw new RefusedException(
          Reason.TYPE_MISMATCH,
          "The key's type says " + type.curve() + ", but another curve stands inside.",
          "Ask for the public file again; this one was put together wrongly.",
          -1);
    }
    return Curve.named(type.curve()).check(wire.string("point"));
  }

  private static int ed25519(Wire wire, byte[] blob) throws RefusedException {
    int length = wire.length("key body");
    if (length != Edwards.LENGTH) {
      throw new RefusedException(
          length < Edwards.LENGTH ? Reason.CUT_SHORT : Reason.LEFT_OVER,
          "An Ed25519 key has 32 bytes, this one has " + length + ".",
          "Copy the whole line again.",
          -1);
    }
    Edwards.check(blob, wire.at());
    wire.skip(length);
    return 256;
  }

  private static String application(Wire wire) throws RefusedException {
    byte[] bytes = wire.string("application string");
    try {
      if (bytes.length == 0 || bytes.length > MAX_APPLICATION) {
        throw badApplication();
      }
      String text = StandardCharsets.UTF_8.newDecoder().decode(ByteBuffer.wrap(bytes)).toString();
      if (!PlainText.isPlain(text)) {
        throw badApplication();
      }
      return text;
    } catch (CharacterCodingException notText) {
      throw badApplication();
    }
  }

  private static RefusedException badApplication() {
    return new RefusedException(
        Reason.BAD_TEXT,
        "The hardware key's application string is empty, too long, or not plain text.",
        "Make the key again on the device, with an application such as ssh:.",
        -1);
  }

  private static RefusedException unknown(String word) {
    if (word.endsWith("-cert-v01@openssh.com")) {
      return new RefusedException(
          Reason.CERTIFICATE,
          "This is an OpenSSH certificate, not a plain public key.",
          "Register the public key that the certificate was made for.",
          -1);
    }
    Optional<Refusal> other = OtherTypes.named(word, -1);
    if (other.isPresent()) {
      return new RefusedException(other.get());
    }
    String shown = PlainText.isPlain(word) ? " (" + word + ")" : "";
    return new RefusedException(
        Reason.UNKNOWN_TYPE,
        "The type inside the key" + shown + " is none that OpenSSH signs in with.",
        "Make an Ed25519, ECDSA or RSA key.",
        -1);
  }

  private static boolean hasSmallFactor(BigInteger modulus) {
    for (BigInteger product : SMALL_PRIMES) {
      if (!modulus.mod(product).gcd(product).equals(BigInteger.ONE)) {
        return true;
      }
    }
    return false;
  }

  private static BigInteger product(long... primes) {
    BigInteger product = BigInteger.ONE;
    for (long prime : primes) {
      product = product.multiply(BigInteger.valueOf(prime));
    }
    return product;
  }
}
