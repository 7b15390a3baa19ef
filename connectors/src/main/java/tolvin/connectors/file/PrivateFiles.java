package tolvin.connectors.file;

import java.io.CharArrayWriter;
import java.io.IOException;
import java.io.StringReader;
import java.math.BigInteger;
import java.nio.ByteBuffer;
import java.nio.CharBuffer;
import java.nio.charset.StandardCharsets;
import java.security.GeneralSecurityException;
import java.security.NoSuchAlgorithmException;
import java.security.SecureRandom;
import java.util.Arrays;
import java.util.Optional;
import org.bouncycastle.asn1.ASN1Encodable;
import org.bouncycastle.asn1.ASN1Integer;
import org.bouncycastle.asn1.ASN1Sequence;
import org.bouncycastle.asn1.DERBitString;
import org.bouncycastle.asn1.DERNull;
import org.bouncycastle.asn1.misc.MiscObjectIdentifiers;
import org.bouncycastle.asn1.misc.ScryptParams;
import org.bouncycastle.asn1.nist.NISTObjectIdentifiers;
import org.bouncycastle.asn1.pkcs.EncryptedPrivateKeyInfo;
import org.bouncycastle.asn1.pkcs.KeyDerivationFunc;
import org.bouncycastle.asn1.pkcs.PBES2Parameters;
import org.bouncycastle.asn1.pkcs.PBKDF2Params;
import org.bouncycastle.asn1.pkcs.PKCSObjectIdentifiers;
import org.bouncycastle.asn1.pkcs.PrivateKeyInfo;
import org.bouncycastle.asn1.sec.ECPrivateKey;
import org.bouncycastle.asn1.x509.AlgorithmIdentifier;
import org.bouncycastle.asn1.x509.SubjectPublicKeyInfo;
import org.bouncycastle.asn1.x9.X9ObjectIdentifiers;
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
import org.bouncycastle.openssl.jcajce.JcaMiscPEMGenerator;
import org.bouncycastle.openssl.jcajce.JcaPEMWriter;
import org.bouncycastle.openssl.jcajce.JceOpenSSLPKCS8DecryptorProviderBuilder;
import org.bouncycastle.openssl.jcajce.JceOpenSSLPKCS8EncryptorBuilder;
import org.bouncycastle.openssl.jcajce.JcePEMDecryptorProviderBuilder;
import org.bouncycastle.openssl.jcajce.JcePEMEncryptorBuilder;
import org.bouncycastle.operator.OperatorCreationException;
import org.bouncycastle.operator.OutputEncryptor;
import org.bouncycastle.pkcs.PKCS8EncryptedPrivateKeyInfo;
import org.bouncycastle.pkcs.PKCSException;
import org.bouncycastle.pkcs.jcajce.JcePKCSPBEInputDecryptorProviderBuilder;
import tolvin.core.form.DerKeys;
import tolvin.core.intake.ForeignFile;
import tolvin.core.key.KeyNumbers;
import tolvin.core.key.KeyType;
import tolvin.core.key.PublicKey;
import tolvin.core.key.Refusal.Reason;
import tolvin.core.key.RefusedException;
import tolvin.core.pair.OpenSshFile;
import tolvin.core.pair.PrivateForm;
import tolvin.core.pair.SecretPair;

/**
 * Opens private files of every usual kind and writes encrypted ones: OpenSSH's own form by the
 * core's reader, PKCS#8 (RFC 5958), PKCS#1 (RFC 8017) and SEC1 (RFC 5915), in PEM or DER, by Bouncy
 * Castle's. What cannot be opened is named for what it is.
 */
public final class PrivateFiles {
  private static final SectionCiphers CIPHERS = new SectionCiphers();
  private static final BouncyCastleProvider PROVIDER = new BouncyCastleProvider();

  private static final byte SEQUENCE = 0x30;
  private static final int MOST_MEMORY_BITS = 29; // half a gigabyte
  private static final int MOST_ROUNDS_BITS = 27; // a minute or two

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
   * What can be seen of a file without its passphrase.
   *
   * @param key the public key
   * @param comment the comment; empty if there is none, or if it is encrypted
   */
  public record Seen(PublicKey key, String comment) {}

  /** The public key that stands in the clear in a file, whether it can be opened or not. */
  public static Optional<Seen> inTheClear(byte[] file) {
    if (OpenSshFile.looksLike(file)) {
      try {
        return Optional.of(new Seen(OpenSshFile.read(file).key(), ""));
      } catch (RefusedException damaged) {
        return Optional.empty();
      }
    }
    ForeignFile foreign = ForeignFile.of(file);
    return foreign.key().map(key -> new Seen(key, foreign.comment()));
  }

  /**
   * Opens a file; the passphrase is asked for only if it has one.
   *
   * @throws RefusedException with {@link Reason#WRONG_PASSPHRASE}, or because it is no private file
   */
  public static OpenSshFile.Opened open(byte[] file, Asking asking) throws RefusedException {
    if (OpenSshFile.looksLike(file)) {
      OpenSshFile read;
      try {
        read = OpenSshFile.read(file);
      } catch (RefusedException damaged) {
        throw damaged.refusal().reason() == Reason.OTHER_FORM ? foreign(file) : damaged;
      }
      byte[] passphrase = read.isEncrypted() ? bytes(asking.passphrase()) : new byte[0];
      try {
        return read.open(CIPHERS, passphrase);
      } finally {
        Arrays.fill(passphrase, (byte) 0);
      }
    }
    PrivateKeyInfo info = opened(file, parse(file), asking);
    return new OpenSshFile.Opened(Optional.of(pair(file, info)), Optional.empty(), "");
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
   * Writes a pair in a form. PKCS#8 is encrypted by PBES2 with PBKDF2 over HMAC-SHA-256, 210,000
   * rounds, and AES-256 (RFC 8018); traditional PEM by AES-256 with the one round of MD5 that the
   * form has, so that a short passphrase protects little there.
   *
   * @param comment kept in OpenSSH's form only
   * @param form one that fits the key's type
   * @param passphrase empty for a file without one; the caller overwrites it
   * @return secret: the caller overwrites it
   */
  public static byte[] write(
      SecretPair pair, String comment, PrivateForm form, char[] passphrase, SecureRandom random) {
    boolean isOpen = passphrase.length == 0;
    if (form == PrivateForm.OPENSSH) {
      return isOpen
          ? OpenSshFile.write(pair, comment, random)
          : openSsh(pair, comment, passphrase, random);
    }
    CharArrayWriter text = new CharArrayWriter();
    try (JcaPEMWriter writer = new JcaPEMWriter(text)) {
      PrivateKeyInfo info = info(pair, form);
      if (form == PrivateForm.PKCS8) {
        writer.writeObject(new PKCS8Generator(info, isOpen ? null : encryptor(passphrase, random)));
      } else {
        writer.writeObject(
            isOpen
                ? new JcaMiscPEMGenerator(info)
                : new JcaMiscPEMGenerator(
                    info,
                    new JcePEMEncryptorBuilder("AES-256-CBC")
                        .setProvider(PROVIDER)
                        .setSecureRandom(random)
                        .build(passphrase)));
      }
    } catch (IOException | OperatorCreationException e) {
      throw new IllegalStateException("a private file could not be written", e);
    }
    char[] written = text.toCharArray();
    byte[] file = bytes(written);
    Arrays.fill(written, '\0');
    return file;
  }

  /**
   * The pair in PKCS#8. Of a curve, its point stands behind the number (RFC 5915 section 3), which
   * the Java platform leaves out; the curve's name stands inside as well where nothing is around.
   */
  private static PrivateKeyInfo info(SecretPair pair, PrivateForm form) throws IOException {
    PrivateKeyInfo info = PrivateKeyInfo.getInstance(pair.pkcs8());
    if (!(pair.key().numbers() instanceof KeyNumbers.Point point)) {
      return info;
    }
    BigInteger number = ECPrivateKey.getInstance(info.parsePrivateKey()).getKey();
    DERBitString open = new DERBitString(point.point());
    int bits = pair.key().bits();
    ASN1Encodable curve = info.getPrivateKeyAlgorithm().getParameters();
    return new PrivateKeyInfo(
        info.getPrivateKeyAlgorithm(),
        form == PrivateForm.PEM
            ? new ECPrivateKey(bits, number, open, curve)
            : new ECPrivateKey(bits, number, open, null));
  }

  private static OutputEncryptor encryptor(char[] passphrase, SecureRandom random)
      throws OperatorCreationException {
    return new JceOpenSSLPKCS8EncryptorBuilder(NISTObjectIdentifiers.id_aes256_CBC)
        .setProvider(PROVIDER)
        .setPRF(PKCS8Generator.PRF_HMACSHA256)
        .setIterationCount(210_000)
        .setRandom(random)
        .setPassword(passphrase)
        .build();
  }

  private static Object parse(byte[] file) throws RefusedException {
    if (file.length > 0 && file[0] == SEQUENCE) {
      return der(file);
    }
    try (PEMParser parser =
        new PEMParser(new StringReader(new String(file, StandardCharsets.ISO_8859_1)))) {
      for (Object parsed = parser.readObject(); parsed != null; parsed = parser.readObject()) {
        if (parsed instanceof PEMKeyPair
            || parsed instanceof PEMEncryptedKeyPair
            || parsed instanceof PrivateKeyInfo
            || parsed instanceof PKCS8EncryptedPrivateKeyInfo) {
          return parsed; // before it, a curve's name or a certificate may stand
        }
      }
    } catch (IOException | RuntimeException damaged) {
      throw foreign(file);
    }
    throw foreign(file);
  }

  /** The same structures without their armour. */
  private static Object der(byte[] file) throws RefusedException {
    try {
      ASN1Sequence whole = ASN1Sequence.getInstance(file);
      boolean isNumbered = whole.getObjectAt(0) instanceof ASN1Integer;
      if (!isNumbered) {
        return new PKCS8EncryptedPrivateKeyInfo(file);
      }
      if (whole.getObjectAt(1) instanceof ASN1Sequence) {
        return PrivateKeyInfo.getInstance(whole);
      }
      if (whole.getObjectAt(1) instanceof ASN1Integer) {
        return new PrivateKeyInfo(
            new AlgorithmIdentifier(PKCSObjectIdentifiers.rsaEncryption, DERNull.INSTANCE), whole);
      }
      ECPrivateKey ec = ECPrivateKey.getInstance(whole);
      return new PrivateKeyInfo(
          new AlgorithmIdentifier(X9ObjectIdentifiers.id_ecPublicKey, ec.getParametersObject()),
          ec);
    } catch (IOException | RuntimeException damaged) {
      throw foreign(file);
    }
  }

  private static PrivateKeyInfo opened(byte[] file, Object parsed, Asking asking)
      throws RefusedException {
    char[] passphrase = null;
    try {
      if (parsed instanceof PKCS8EncryptedPrivateKeyInfo encrypted) {
        boolean isScrypt = checkCost(encrypted);
        passphrase = asking.passphrase();
        return encrypted.decryptPrivateKeyInfo(
            isScrypt
                ? new JcePKCSPBEInputDecryptorProviderBuilder()
                    .setProvider(PROVIDER)
                    .build(passphrase)
                : new JceOpenSSLPKCS8DecryptorProviderBuilder()
                    .setProvider(PROVIDER)
                    .build(passphrase));
      }
      if (parsed instanceof PEMEncryptedKeyPair encrypted) {
        passphrase = asking.passphrase();
        return encrypted
            .decryptKeyPair(
                new JcePEMDecryptorProviderBuilder().setProvider(PROVIDER).build(passphrase))
            .getPrivateKeyInfo();
      }
    } catch (PKCSException | OperatorCreationException | IOException | RuntimeException e) {
      for (Throwable cause = e; cause != null; cause = cause.getCause()) {
        if (cause instanceof NoSuchAlgorithmException) {
          throw new RefusedException(
              Reason.OTHER_FORM,
              "The private file is encrypted in a way that cannot be opened here.",
              "Change its passphrase with ssh-keygen -p, which writes it anew.",
              -1);
        }
      }
      throw new RefusedException(
          Reason.WRONG_PASSPHRASE, "The passphrase is wrong.", "Try again.", -1);
    } finally {
      if (passphrase != null) {
        Arrays.fill(passphrase, '\0');
      }
    }
    return parsed instanceof PEMKeyPair plain ? plain.getPrivateKeyInfo() : (PrivateKeyInfo) parsed;
  }

  /**
   * Refuses a file that would take all memory, or days, to open.
   *
   * @return whether its key is derived by scrypt (RFC 7914)
   */
  private static boolean checkCost(PKCS8EncryptedPrivateKeyInfo encrypted) throws RefusedException {
    AlgorithmIdentifier algorithm =
        EncryptedPrivateKeyInfo.getInstance(encrypted.toASN1Structure()).getEncryptionAlgorithm();
    if (!algorithm.getAlgorithm().equals(PKCSObjectIdentifiers.id_PBES2)) {
      return false;
    }
    KeyDerivationFunc function =
        PBES2Parameters.getInstance(algorithm.getParameters()).getKeyDerivationFunc();
    boolean isScrypt = function.getAlgorithm().equals(MiscObjectIdentifiers.id_scrypt);
    boolean isTooMuch;
    if (isScrypt) {
      ScryptParams scrypt = ScryptParams.getInstance(function.getParameters());
      BigInteger bytes = scrypt.getCostParameter().multiply(scrypt.getBlockSize()).shiftLeft(7);
      isTooMuch =
          bytes.bitLength() > MOST_MEMORY_BITS
              || scrypt.getParallelizationParameter().bitLength() > 7;
    } else {
      isTooMuch =
          PBKDF2Params.getInstance(function.getParameters()).getIterationCount().bitLength()
              > MOST_ROUNDS_BITS;
    }
    if (isTooMuch) {
      throw new RefusedException(
          Reason.OTHER_FORM,
          "Its passphrase would take more memory or time to check than any program asks for.",
          "Ask for the file again; this one was made to do harm, or is damaged.",
          -1);
    }
    return isScrypt;
  }

  private static SecretPair pair(byte[] file, PrivateKeyInfo info) throws RefusedException {
    Optional<String> other = DerKeys.otherAlgorithm(encoded(info.getPrivateKeyAlgorithm()));
    if (other.isPresent()) {
      throw new RefusedException(
          Reason.UNKNOWN_TYPE,
          "It is a private key for " + other.get() + ".",
          "Make an Ed25519 key, and have it registered instead.",
          -1);
    }
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
        throw foreign(file);
      }
      SubjectPublicKeyInfo spki = SubjectPublicKeyInfoFactory.createSubjectPublicKeyInfo(open);
      PublicKey key = DerKeys.readSpki(spki.getEncoded());
      byte[] secret =
          key.type() == KeyType.ED25519
              ? ((Ed25519PrivateKeyParameters) privateKey).getEncoded()
              : info.getEncoded();
      return new SecretPair(key, secret);
    } catch (IOException | RuntimeException damaged) {
      throw foreign(file);
    }
  }

  /** An algorithm's identifier as DER has it, without tag and length. */
  private static byte[] encoded(AlgorithmIdentifier algorithm) {
    try {
      byte[] whole = algorithm.getAlgorithm().getEncoded();
      return Arrays.copyOfRange(whole, 2, whole.length);
    } catch (IOException impossible) {
      throw new IllegalStateException("an identifier in memory can be written", impossible);
    }
  }

  private static byte[] bytes(char[] passphrase) {
    ByteBuffer encoded = StandardCharsets.UTF_8.encode(CharBuffer.wrap(passphrase));
    byte[] bytes = new byte[encoded.remaining()];
    encoded.get(bytes);
    Arrays.fill(encoded.array(), (byte) 0);
    return bytes;
  }

  private static RefusedException foreign(byte[] file) {
    return new RefusedException(ForeignFile.of(file).refusal());
  }
}
