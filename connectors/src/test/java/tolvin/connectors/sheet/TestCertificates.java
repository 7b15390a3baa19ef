package tolvin.connectors.sheet;

import java.math.BigInteger;
import java.security.KeyPair;
import java.security.KeyPairGenerator;
import java.time.Instant;
import java.time.temporal.ChronoUnit;
import java.util.Base64;
import java.util.Date;
import org.bouncycastle.asn1.x500.X500Name;
import org.bouncycastle.asn1.x509.Extension;
import org.bouncycastle.asn1.x509.GeneralName;
import org.bouncycastle.asn1.x509.GeneralNames;
import org.bouncycastle.cert.jcajce.JcaX509v3CertificateBuilder;
import org.bouncycastle.operator.jcajce.JcaContentSignerBuilder;

/** Two self-signed certificates with their private keys, as PEM. */
record TestCertificates(
    String serverCertificate, String serverPem, String clientCertificate, String clientPem) {

  static TestCertificates make() throws Exception {
    String[] server = one("localhost");
    String[] client = one("tolvin");
    return new TestCertificates(server[0], server[0] + server[1], client[0], client[0] + client[1]);
  }

  private static String[] one(String name) throws Exception {
    KeyPairGenerator generator = KeyPairGenerator.getInstance("EC");
    generator.initialize(256);
    KeyPair pair = generator.generateKeyPair();
    X500Name subject = new X500Name("CN=" + name);
    Instant now = Instant.now();
    JcaX509v3CertificateBuilder builder =
        new JcaX509v3CertificateBuilder(
            subject,
            BigInteger.ONE,
            Date.from(now.minus(1, ChronoUnit.HOURS)),
            Date.from(now.plus(1, ChronoUnit.DAYS)),
            subject,
            pair.getPublic());
    builder.addExtension(
        Extension.subjectAlternativeName,
        false,
        new GeneralNames(new GeneralName(GeneralName.dNSName, name)));
    byte[] certificate =
        builder
            .build(new JcaContentSignerBuilder("SHA256withECDSA").build(pair.getPrivate()))
            .getEncoded();
    return new String[] {
      pem("CERTIFICATE", certificate), pem("PRIVATE KEY", pair.getPrivate().getEncoded())
    };
  }

  private static String pem(String label, byte[] der) {
    return "-----BEGIN "
        + label
        + "-----\n"
        + Base64.getMimeEncoder(64, new byte[] {'\n'}).encodeToString(der)
        + "\n-----END "
        + label
        + "-----\n";
  }
}
