package tolvin.connectors.file;

import java.io.CharArrayWriter;
import java.io.IOException;
import java.io.StringReader;
import java.nio.ByteBuffer;
import java.nio.CharBuffer;
import java.nio.charset.StandardCharsets;
import java.security.GeneralSecurityException;
import java.security.PrivateKey;
import java.security.SecureRandom;
import java.util.Arrays;
import java.util.Optional;
import org.bouncycastle.asn1.nist.NISTObjectIdentifiers;
import org.bouncycastle.asn1.pkcs.PrivateKeyInfo;
import org.bouncycastle.asn1.x509.SubjectPublicKeyInfo;
import org.bouncycastle.crypto.params.AsymmetricKeyParameter;
import org.bouncycastle.crypto.params.ECPrivateKeyParameters;
import org.bouncycastle.crypto.params.ECPublicKeyParameters;
import org.bouncycastle.crypto.params.Ed25519PrivateKeyParameters;
import org.bouncycastle.crypto.params.RSAKeyParameters;
import org.bouncycastle.crypto.params.RSAPrivateCrtKeyParameters;
import org.bouncycastle.crypto.util.PrivateKeyFactory;
import org.bouncycastle.crypto.util.SubjectPublicKeyInfoFactory;
import org.bouncycastle.jce.provider.BouncyCastleProvider;
import org.bouncycastle.math.ec.FixedPointCombMultiplier;
import org.bouncycastle.openssl.PEMEncryptedKeyPair;
import org.bouncycastle.openssl.PEMKeyPair;
import org.bouncycastle.openssl.PEMParser;
import org.bouncycastle.openssl.PKCS8Generator;
import org.bouncycastle.openssl.jcajce.JcaPEMWriter;
import org.bouncycastle.openssl.jcajce.JcaPKCS8Generator;
import org.bouncycastle.openssl.jcajce.JceOpenSSLPKCS8DecryptorProviderBuilder;
import org.bouncycastle.openssl.jcajce.JceOpenSSLPKCS8EncryptorBuilder;
import org.bouncycastle.openssl.jcajce.JcePEMDecryptorProviderBuilder;
import org.bouncycastle.operator.OperatorCreationException;
import org.bouncycastle.pkcs.PKCS8EncryptedPrivateKeyInfo;
import org.bouncycastle.pkcs.PKCSException;
import tolvin.core.form.DerKeys;
import tolvin.core.key.KeyType;
import tolvin.core.key.PublicKey;
import tolvin.core.key.Refusal.Reason;
import tolvin.core.key.RefusedException;
import tolvin.core.pair.OpenSshFile;
import tolvin.core.pair.SecretPair;

/**
 * Opens private files of every usual kind and writes encrypted ones: OpenSSH's own form by the
 * core's reader, PKCS#8 (RFC 5958), PKCS#1 (RFC 8017) and SEC1 (RFC 5915) by Bouncy Castle's.
 */
public final class PrivateFiles {
  private static final SectionCiphers CIPHERS = new SectionCiphers();
  private static final BouncyCastleProvider PROVIDER = new BouncyCastleProvider();

  private PrivateFiles() {}

  /** Asks for a passphrase; what it gives is overwritten when it was used. */
  @FunctionalInterface
  public interface Asking {
    /**
     * The passphrase.
     *
     * @throws RefusedException if nobody can be asked
     */
    char[] passphrase() throws RefusedException;
  }

  /**
   * Whether a file has a passphrase.
   *
   * @throws RefusedException if it is no private file
   */
  public static boolean isEncrypted(byte[] file) throws RefusedException {
    if (OpenSshFile.looksLike(file)) {
      return OpenSshFile.read(file).isEncrypted();
    }
    Object parsed = parse(file);
    return parsed instanceof PEMEncryptedKeyPair || parsed instanceof PKCS8EncryptedPrivateKeyInfo;
  }

  /**
   * Opens a file; the passphrase is asked for only if it has one.
   *
   * @throws RefusedException with {@link Reason#WRONG_PASSPHRASE}, or because it is no private file
   */
  public static OpenSshFile.Opened open(byte[] file, Asking asking) throws RefusedException {
    if (OpenSshFile.looksLike(file)) {
      OpenSshFile read = OpenSshFile.read(file);
      byte[] passphrase = read.isEncrypted() ? bytes(asking.passphrase()) : new byte[0];
      try {
        return read.open(CIPHERS, passphrase);
      } finally {
        Arrays.fill(passphrase, (byte) 0);
      }
    }
    PrivateKeyInfo info = opened(parse(file), asking);
    return new OpenSshFile.Opened(Optional.of(pair(info)), Optional.empty(), "");
  }

  /**
   * Writes a pair encrypted in OpenSSH's form.
   *
   * @param passphrase not empty; the caller overwrites it
   */
  public static byte[] openSsh(
      SecretPair pair, String comment, char[] passphrase, SecureRandom random) {
    byte[] bytes = bytes(passphrase);
    try {
      return OpenSshFile.write(pair, comment, OpenSshFile.USUAL_CIPHER, bytes, CIPHERS, random);
    } catch (GeneralSecurityException e) {
      throw new IllegalStateException("this Java platform has no AES", e);
    } finally {
      Arrays.fill(bytes, (byte) 0);
    }
  }

  /**
   * Writes a pair as encrypted PKCS#8 in PEM: PBES2 with PBKDF2 over HMAC-SHA-256 and AES-256 (RFC
   * 8018), 210,000 rounds.
   *
   * @param passphrase not empty; the caller overwrites it
   */
  public static byte[] pkcs8(SecretPair pair, char[] passphrase, SecureRandom random) {
    CharArrayWriter text = new CharArrayWriter();
    try (JcaPEMWriter writer = new JcaPEMWriter(text)) {
      PrivateKey privateKey = pair.privateKey();
      writer.writeObject(
          new JcaPKCS8Generator(
              privateKey,
              new JceOpenSSLPKCS8EncryptorBuilder(NISTObjectIdentifiers.id_aes256_CBC)
                  .setProvider(PROVIDER)
                  .setPRF(PKCS8Generator.PRF_HMACSHA256)
                  .setIterationCount(210_000)
                  .setRandom(random)
                  .setPassword(passphrase)
                  .build()));
    } catch (IOException | OperatorCreationException e) {
      throw new IllegalStateException("PKCS#8 could not be written", e);
    }
    return text.toString().getBytes(StandardCharsets.US_ASCII);
  }

  private static Object parse(byte[] file) throws RefusedException {
    try (PEMParser parser =
        new PEMParser(new StringReader(new String(file, StandardCharsets.ISO_8859_1)))) {
      Object parsed = parser.readObject();
      if (parsed instanceof org.bouncycastle.asn1.x9.X9ECParameters
          || parsed instanceof org.bouncycastle.asn1.ASN1ObjectIdentifier) {
        parsed = parser.readObject(); // the curve's name stands before the key in some SEC1 files
      }
      if (parsed != null) {
        return parsed;
      }
    } catch (IOException | RuntimeException damaged) {
      throw foreign();
    }
    throw foreign();
  }

  private static PrivateKeyInfo opened(Object parsed, Asking asking) throws RefusedException {
    char[] passphrase = null;
    try {
      if (parsed instanceof PKCS8EncryptedPrivateKeyInfo encrypted) {
        passphrase = asking.passphrase();
        return encrypted.decryptPrivateKeyInfo(
            new JceOpenSSLPKCS8DecryptorProviderBuilder().setProvider(PROVIDER).build(passphrase));
      }
      if (parsed instanceof PEMEncryptedKeyPair encrypted) {
        passphrase = asking.passphrase();
        return encrypted
            .decryptKeyPair(
                new JcePEMDecryptorProviderBuilder().setProvider(PROVIDER).build(passphrase))
            .getPrivateKeyInfo();
      }
    } catch (PKCSException | OperatorCreationException | IOException | RuntimeException e) {
      throw new RefusedException(
          Reason.WRONG_PASSPHRASE, "The passphrase is wrong.", "Try again.", -1);
    } finally {
      if (passphrase != null) {
        Arrays.fill(passphrase, '\0');
      }
    }
    if (parsed instanceof PEMKeyPair plain) {
      return plain.getPrivateKeyInfo();
    }
    if (parsed instanceof PrivateKeyInfo plain) {
      return plain;
    }
    throw foreign();
  }

  private static SecretPair pair(PrivateKeyInfo info) throws RefusedException {
    try {
      AsymmetricKeyParameter privateKey = PrivateKeyFactory.createKey(info);
      AsymmetricKeyParameter open;
      if (privateKey instanceof Ed25519PrivateKeyParameters edwards) {
        open = edwards.generatePublicKey();
      } else if (privateKey instanceof RSAPrivateCrtKeyParameters rsa) {
        open = new RSAKeyParameters(false, rsa.getModulus(), rsa.getPublicExponent());
      } else if (privateKey instanceof ECPrivateKeyParameters ec) {
        var curve = ec.getParameters();
        open =
            new ECPublicKeyParameters(
                new FixedPointCombMultiplier().multiply(curve.getG(), ec.getD()), curve);
      } else {
        throw foreign();
      }
      SubjectPublicKeyInfo spki = SubjectPublicKeyInfoFactory.createSubjectPublicKeyInfo(open);
      PublicKey key = DerKeys.readSpki(spki.getEncoded());
      byte[] secret =
          key.type() == KeyType.ED25519
              ? ((Ed25519PrivateKeyParameters) privateKey).getEncoded()
              : info.getEncoded();
      return new SecretPair(key, secret);
    } catch (IOException | RuntimeException damaged) {
      throw foreign();
    }
  }

  private static byte[] bytes(char[] passphrase) {
    ByteBuffer encoded = StandardCharsets.UTF_8.encode(CharBuffer.wrap(passphrase));
    byte[] bytes = new byte[encoded.remaining()];
    encoded.get(bytes);
    Arrays.fill(encoded.array(), (byte) 0);
    return bytes;
  }

  private static RefusedException foreign() {
    return new RefusedException(
        Reason.OTHER_FORM,
        "This is no private file that can be read: OpenSSH, PKCS#8, PKCS#1 or SEC1.",
        "Give the private file itself, not the one that ends in .pub.",
        -1);
  }
}
