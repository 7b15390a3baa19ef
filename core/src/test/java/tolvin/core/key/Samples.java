package tolvin.core.key;

import java.math.BigInteger;
import java.security.KeyPairGenerator;
import java.security.SecureRandom;
import java.security.interfaces.ECPublicKey;
import java.security.interfaces.RSAPublicKey;
import java.security.spec.ECGenParameterSpec;
import java.util.Base64;
import tolvin.core.pair.KeyPairMaker;

/** Keys for tests, made by the Java platform and written by {@link WireOut} alone. */
public final class Samples {
  public static final SecureRandom RANDOM = new SecureRandom();

  private Samples() {}

  public static byte[] blob(KeyType type) throws Exception {
    return switch (type) {
      case RSA -> rsa(2048);
      case ECDSA_P256 -> ecdsa(type, "secp256r1").toBytes();
      case ECDSA_P384 -> ecdsa(type, "secp384r1").toBytes();
      case ECDSA_P521 -> ecdsa(type, "secp521r1").toBytes();
      case SK_ECDSA_P256 -> ecdsa(type, "secp256r1").string("ssh:").toBytes();
      case ED25519 -> new WireOut().string(type.word()).string(point()).toBytes();
      case SK_ED25519 ->
          new WireOut().string(type.word()).string(point()).string("ssh:laptop").toBytes();
    };
  }

  public static byte[] point() {
    byte[] blob = KeyPairMaker.ed25519(RANDOM).key().blob();
    return java.util.Arrays.copyOfRange(blob, blob.length - 32, blob.length);
  }

  public static byte[] rsa(int bits) throws Exception {
    KeyPairGenerator generator = KeyPairGenerator.getInstance("RSA");
    generator.initialize(bits);
    RSAPublicKey key = (RSAPublicKey) generator.generateKeyPair().getPublic();
    return rsa(key.getPublicExponent(), key.getModulus());
  }

  public static byte[] rsa(BigInteger exponent, BigInteger modulus) {
    return new WireOut().string("ssh-rsa").integer(exponent).integer(modulus).toBytes();
  }

  public static byte[] ecPoint(String curve) throws Exception {
    KeyPairGenerator generator = KeyPairGenerator.getInstance("EC");
    generator.initialize(new ECGenParameterSpec(curve));
    ECPublicKey key = (ECPublicKey) generator.generateKeyPair().getPublic();
    int width = (key.getParams().getCurve().getField().getFieldSize() + 7) / 8;
    byte[] point = new byte[1 + 2 * width];
    point[0] = 4;
    put(key.getW().getAffineX(), point, 1, width);
    put(key.getW().getAffineY(), point, 1 + width, width);
    return point;
  }

  public static String line(byte[] blob, String type) {
    return type + " " + Base64.getEncoder().encodeToString(blob);
  }

  public static String line(KeyType type) throws Exception {
    return line(blob(type), type.word());
  }

  private static WireOut ecdsa(KeyType type, String curve) throws Exception {
    return new WireOut().string(type.word()).string(type.curve()).string(ecPoint(curve));
  }

  private static void put(BigInteger value, byte[] into, int at, int width) {
    byte[] bytes = value.toByteArray();
    int length = Math.min(width, bytes.length);
    System.arraycopy(bytes, bytes.length - length, into, at + width - length, length);
  }
}
