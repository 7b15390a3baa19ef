package tolvin.standins.securitykey;

import java.io.IOException;
import java.math.BigInteger;
import java.nio.ByteBuffer;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.attribute.PosixFilePermissions;
import java.security.GeneralSecurityException;
import java.security.KeyFactory;
import java.security.KeyPair;
import java.security.KeyPairGenerator;
import java.security.PrivateKey;
import java.security.cert.X509Certificate;
import java.security.spec.ECGenParameterSpec;
import java.security.spec.PKCS8EncodedKeySpec;
import java.time.Duration;
import java.time.Instant;
import java.util.Base64;
import java.util.Date;
import java.util.List;
import java.util.UUID;
import org.bouncycastle.asn1.ASN1ObjectIdentifier;
import org.bouncycastle.asn1.DEROctetString;
import org.bouncycastle.asn1.x500.X500Name;
import org.bouncycastle.asn1.x509.BasicConstraints;
import org.bouncycastle.asn1.x509.Extension;
import org.bouncycastle.cert.CertIOException;
import org.bouncycastle.cert.jcajce.JcaX509CertificateConverter;
import org.bouncycastle.cert.jcajce.JcaX509v3CertificateBuilder;
import org.bouncycastle.operator.OperatorCreationException;
import org.bouncycastle.operator.jcajce.JcaContentSignerBuilder;
import tolvin.core.form.Pem;
import tolvin.core.key.RefusedException;
import tolvin.core.proof.Attestation;

/**
 * A made-up maker of security keys and the certificates that it gives its devices (WebAuthn section
 * 8.2.1).
 *
 * @param certificate the maker's own certificate
 * @param privateKey its private key
 */
public record Maker(X509Certificate certificate, PrivateKey privateKey) {
  private static final ASN1ObjectIdentifier MODEL =
      new ASN1ObjectIdentifier("1.3.6.1.4.1.45724.1.1.4");
  private static final Duration LIFE = Duration.ofDays(7300);

  /**
   * A device's certificate and the private key behind it.
   *
   * @param certificate signed by the maker
   * @param privateKey what the device signs attestations with
   */
  public record DeviceIdentity(X509Certificate certificate, PrivateKey privateKey) {}

  /** A maker that was kept in a file, or a new one; its certificate lies beside, in PEM. */
  public static Maker kept(Path file, String name) throws IOException {
    try {
      if (Files.exists(file)) {
        List<String> lines = Files.readAllLines(file);
        return new Maker(
            Attestation.x509(Base64.getDecoder().decode(lines.get(0))),
            KeyFactory.getInstance("EC")
                .generatePrivate(
                    new PKCS8EncodedKeySpec(Base64.getDecoder().decode(lines.get(1)))));
      }
      Maker maker = make(name);
      byte[] certificate = maker.certificate().getEncoded();
      Files.createFile(
          file, PosixFilePermissions.asFileAttribute(PosixFilePermissions.fromString("rw-------")));
      Files.write(
          file,
          List.of(
              Base64.getEncoder().encodeToString(certificate),
              Base64.getEncoder().encodeToString(maker.privateKey().getEncoded())));
      Files.writeString(file.resolveSibling("maker.pem"), Pem.write("CERTIFICATE", certificate));
      return maker;
    } catch (GeneralSecurityException | RefusedException e) {
      throw new IOException("the maker in " + file + " cannot be read", e);
    }
  }

  /** A new maker. */
  public static Maker make(String name) {
    KeyPair pair = pair();
    X500Name subject = new X500Name("CN=" + name + " Root, O=" + name);
    return new Maker(
        certificate(subject, subject, pair, pair.getPrivate(), null), pair.getPrivate());
  }

  /** A certificate for a device of a model. */
  public DeviceIdentity device(UUID model) {
    KeyPair pair = pair();
    X500Name issuer = X500Name.getInstance(certificate.getSubjectX500Principal().getEncoded());
    X500Name subject =
        new X500Name("CN=Device Attestation, OU=Authenticator Attestation, O=Simulated Keys, C=AQ");
    return new DeviceIdentity(
        certificate(subject, issuer, pair, privateKey, model), pair.getPrivate());
  }

  private static X509Certificate certificate(
      X500Name subject, X500Name issuer, KeyPair pair, PrivateKey signer, UUID model) {
    try {
      Instant now = Instant.now();
      var builder =
          new JcaX509v3CertificateBuilder(
              issuer,
              new BigInteger(120, new java.security.SecureRandom()).add(BigInteger.ONE),
              Date.from(now.minus(Duration.ofDays(1))),
              Date.from(now.plus(LIFE)),
              subject,
              pair.getPublic());
      builder.addExtension(Extension.basicConstraints, true, new BasicConstraints(model == null));
      if (model != null) {
        builder.addExtension(MODEL, false, new DEROctetString(bytes(model)));
      }
      return new JcaX509CertificateConverter()
          .getCertificate(
              builder.build(new JcaContentSignerBuilder("SHA256withECDSA").build(signer)));
    } catch (GeneralSecurityException | OperatorCreationException | CertIOException e) {
      throw new IllegalStateException("no certificate could be made", e);
    }
  }

  static byte[] bytes(UUID model) {
    return ByteBuffer.allocate(16)
        .putLong(model.getMostSignificantBits())
        .putLong(model.getLeastSignificantBits())
        .array();
  }

  private static KeyPair pair() {
    try {
      KeyPairGenerator generator = KeyPairGenerator.getInstance("EC");
      generator.initialize(new ECGenParameterSpec("secp256r1"));
      return generator.generateKeyPair();
    } catch (GeneralSecurityException e) {
      throw new IllegalStateException("this Java platform has no P-256", e);
    }
  }
}
