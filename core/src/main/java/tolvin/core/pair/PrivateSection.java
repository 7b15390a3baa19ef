package tolvin.core.pair;

import java.math.BigInteger;
import java.nio.charset.StandardCharsets;
import java.security.GeneralSecurityException;
import java.security.KeyFactory;
import java.security.PrivateKey;
import java.security.interfaces.ECPrivateKey;
import java.security.interfaces.RSAPrivateCrtKey;
import java.security.spec.ECGenParameterSpec;
import java.security.spec.ECParameterSpec;
import java.security.spec.ECPrivateKeySpec;
import java.security.spec.RSAPrivateCrtKeySpec;
import java.util.Arrays;
import java.util.Optional;
import tolvin.core.key.KeyNumbers;
import tolvin.core.key.KeyType;
import tolvin.core.key.PublicKey;
import tolvin.core.key.Refusal.Reason;
import tolvin.core.key.RefusedException;
import tolvin.core.key.Wire;
import tolvin.core.key.WireOut;

/**
 * The private section of an OpenSSH file, decrypted (PROTOCOL.key section 3, PROTOCOL.u2f): twice
 * the same random number, the private key by its type, the comment, and padding 1, 2, 3, …
 */
final class PrivateSection {
  private PrivateSection() {}

  /** What a section holds: exactly one of the two. */
  record Content(Optional<SecretPair> pair, Optional<HardwareHandle> handle, String comment) {}

  /** Writes the section of a pair. */
  static byte[] write(SecretPair pair, String comment, int check, int block) {
    WireOut out = new WireOut().number(check).number(check).string(pair.key().type().word());
    PublicKey key = pair.key();
    KeyNumbers numbers = key.numbers();
    if (numbers instanceof KeyNumbers.Edwards25519 edwards) {
      byte[] both = Arrays.copyOf(pair.secret(), 64);
      System.arraycopy(edwards.point(), 0, both, 32, 32);
      out.string(edwards.point()).string(both);
      Arrays.fill(both, (byte) 0);
    } else if (numbers instanceof KeyNumbers.Point point) {
      out.string(point.curve()).string(point.point());
      out.integer(((ECPrivateKey) pair.privateKey()).getS());
    } else {
      RSAPrivateCrtKey rsa = (RSAPrivateCrtKey) pair.privateKey();
      out.integer(rsa.getModulus()).integer(rsa.getPublicExponent());
      out.integer(rsa.getPrivateExponent()).integer(rsa.getCrtCoefficient());
      out.integer(rsa.getPrimeP()).integer(rsa.getPrimeQ());
    }
    return ended(out, comment, block);
  }

  /** Writes the section of a hardware key. */
  static byte[] write(HardwareHandle handle, String comment, int check, int block) {
    return ended(
        new WireOut().number(check).number(check).raw(handleFields(handle)), comment, block);
  }

  /** A hardware key's fields, as they also travel between OpenSSH's own programs. */
  static byte[] handleFields(HardwareHandle handle) {
    WireOut out = new WireOut().string(handle.key().type().word());
    if (handle.key().numbers() instanceof KeyNumbers.Point point) {
      out.string(point.curve()).string(point.point());
    } else {
      out.string(((KeyNumbers.Edwards25519) handle.key().numbers()).point());
    }
    return out.string(handle.key().application().orElse(""))
        .raw(new byte[] {(byte) handle.flags()})
        .string(handle.handle())
        .string("")
        .toBytes();
  }

  private static byte[] ended(WireOut out, String comment, int block) {
    return out.string(comment.getBytes(StandardCharsets.UTF_8)).pad(block).toBytes();
  }

  /**
   * Reads a section.
   *
   * @param key the public key that stands in the clear before it; both must be of one key
   * @throws RefusedException with {@link Reason#WRONG_PASSPHRASE} if the two numbers differ
   */
  static Content read(byte[] section, PublicKey key) throws RefusedException {
    Wire wire = new Wire(section);
    if (wire.number("check number") != wire.number("check number")) {
      throw new RefusedException(
          Reason.WRONG_PASSPHRASE,
          "The passphrase is wrong.",
          "Try again; the passphrase of a private key cannot be recovered. If it is lost, make a"
              + " new key and rotate.",
          -1);
    }
    int from = wire.at();
    String word = new String(wire.string("type word"), StandardCharsets.US_ASCII);
    KeyType type = KeyType.ofWord(word).filter(t -> t == key.type()).orElseThrow(() -> damaged());
    Optional<SecretPair> pair = Optional.empty();
    Optional<HardwareHandle> handle = Optional.empty();
    if (type.hardware()) {
      wire = new Wire(section);
      wire.skip(from);
      handle = Optional.of(readHandle(wire));
    } else {
      pair = Optional.of(readPair(wire, key));
    }
    PublicKey inside =
        pair.map(SecretPair::key).orElseGet(handle.map(HardwareHandle::key)::orElseThrow);
    if (!inside.equals(key)) {
      throw damaged();
    }
    String comment = new String(wire.string("comment"), StandardCharsets.UTF_8);
    for (int pad = 1; !wire.atEnd(); pad++) {
      if (wire.octet("padding") != (pad & 0xff)) {
        throw damaged();
      }
    }
    return new Content(pair, handle, comment);
  }

  /** Reads a hardware key's fields, its type word included. */
  static HardwareHandle readHandle(Wire wire) throws RefusedException {
    String word = new String(wire.string("type word"), StandardCharsets.US_ASCII);
    WireOut blob = new WireOut().string(word);
    if (word.equals(KeyType.SK_ECDSA_P256.word())) {
      blob.string(wire.string("curve name"));
    } else if (!word.equals(KeyType.SK_ED25519.word())) {
      throw damaged();
    }
    blob.string(wire.string("point")).string(wire.string("application string"));
    PublicKey key = tolvin.core.key.PublicBlob.read(blob.toBytes());
    int flags = wire.octet("flags");
    byte[] handle = wire.string("handle");
    wire.string("reserved string");
    return new HardwareHandle(key, flags, handle);
  }

  private static SecretPair readPair(Wire wire, PublicKey key) throws RefusedException {
    try {
      switch (key.type()) {
        case ED25519 -> {
          byte[] point = wire.string("point");
          byte[] both = wire.string("private key");
          if (both.length != 64 || !Arrays.equals(both, 32, 64, point, 0, point.length)) {
            throw damaged();
          }
          PublicKey named = new KeyNumbers.Edwards25519(point).key();
          byte[] seed = Arrays.copyOf(both, 32);
          Arrays.fill(both, (byte) 0);
          return new SecretPair(named, seed);
        }
        case RSA -> {
          BigInteger modulus = wire.positive("modulus");
          BigInteger exponent = wire.positive("exponent");
          BigInteger secret = wire.positive("private key");
          BigInteger coefficient = wire.positive("coefficient");
          BigInteger p = wire.positive("first prime");
          BigInteger q = wire.positive("second prime");
          if (!p.multiply(q).equals(modulus) || p.bitLength() < 2 || q.bitLength() < 2) {
            throw damaged();
          }
          PrivateKey privateKey =
              KeyFactory.getInstance("RSA")
                  .generatePrivate(
                      new RSAPrivateCrtKeySpec(
                          modulus,
                          exponent,
                          secret,
                          p,
                          q,
                          secret.mod(p.subtract(BigInteger.ONE)),
                          secret.mod(q.subtract(BigInteger.ONE)),
                          coefficient));
          return new SecretPair(
              new KeyNumbers.Rsa(modulus, exponent).key(), privateKey.getEncoded());
        }
        default -> {
          String curve = new String(wire.string("curve name"), StandardCharsets.US_ASCII);
          byte[] point = wire.string("point");
          PublicKey named = new KeyNumbers.Point(curve, point).key();
          java.security.AlgorithmParameters parameters =
              java.security.AlgorithmParameters.getInstance("EC");
          parameters.init(new ECGenParameterSpec(curve.replace("nistp", "secp") + "r1"));
          PrivateKey privateKey =
              KeyFactory.getInstance("EC")
                  .generatePrivate(
                      new ECPrivateKeySpec(
                          wire.positive("private key"),
                          parameters.getParameterSpec(ECParameterSpec.class)));
          return new SecretPair(named, privateKey.getEncoded());
        }
      }
    } catch (GeneralSecurityException e) {
      throw damaged();
    }
  }

  static RefusedException damaged() {
    return new RefusedException(
        Reason.OTHER_FORM,
        "The private file is damaged: its private part does not fit its public one.",
        "Take the file from a back-up, or make a new key.",
        -1);
  }
}
