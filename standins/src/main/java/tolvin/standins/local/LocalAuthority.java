package tolvin.standins.local;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.security.GeneralSecurityException;
import java.security.KeyStore;
import java.security.cert.CertificateFactory;
import java.util.List;
import javax.net.ssl.SSLContext;
import javax.net.ssl.TrustManagerFactory;

/** A certificate authority for servers on loopback, made by the system's own openssl. */
public final class LocalAuthority {
  private final Path directory;

  private LocalAuthority(Path directory) {
    this.directory = directory;
  }

  /** Makes an authority in a directory, or finds the one that is there. */
  public static LocalAuthority in(Path directory) throws IOException {
    LocalAuthority authority = new LocalAuthority(directory);
    if (!Files.exists(authority.trusted())) {
      openssl(
          "req",
          "-x509",
          "-newkey",
          "ec",
          "-pkeyopt",
          "ec_paramgen_curve:P-256",
          "-nodes",
          "-days",
          "3650",
          "-subj",
          "/CN=Skerrymoor Ferries test authority",
          "-keyout",
          authority.file("ca.key"),
          "-out",
          authority.file("ca.pem"));
    }
    return authority;
  }

  /** A context for TLS that believes this authority and no other. */
  public SSLContext believing() {
    try (var in = Files.newInputStream(trusted())) {
      KeyStore store = KeyStore.getInstance(KeyStore.getDefaultType());
      store.load(null, null);
      store.setCertificateEntry(
          "authority", CertificateFactory.getInstance("X.509").generateCertificate(in));
      TrustManagerFactory factory =
          TrustManagerFactory.getInstance(TrustManagerFactory.getDefaultAlgorithm());
      factory.init(store);
      SSLContext context = SSLContext.getInstance("TLS");
      context.init(null, factory.getTrustManagers(), null);
      return context;
    } catch (GeneralSecurityException | IOException e) {
      throw new IllegalStateException("the authority cannot be believed", e);
    }
  }

  /** Certifies somebody on loopback: NAME.pem and NAME.key, the latter in PKCS#8. */
  public LocalAuthority certify(String name) throws IOException {
    return certify(name, "IP:127.0.0.1", "DNS:localhost");
  }

  /** Likewise, for hosts elsewhere: {@code DNS:quay.example}, {@code IP:10.0.0.7}. */
  public LocalAuthority certify(String name, String... hosts) throws IOException {
    if (Files.exists(certificate(name))) {
      return this;
    }
    Files.writeString(
        directory.resolve("names"), "subjectAltName=" + String.join(",", hosts) + "\n");
    openssl(
        "req",
        "-newkey",
        "ec",
        "-pkeyopt",
        "ec_paramgen_curve:P-256",
        "-nodes",
        "-subj",
        "/CN=" + name,
        "-keyout",
        file(name + ".key"),
        "-out",
        file(name + ".csr"));
    openssl(
        "x509",
        "-req",
        "-in",
        file(name + ".csr"),
        "-CA",
        file("ca.pem"),
        "-CAkey",
        file("ca.key"),
        "-CAcreateserial",
        "-days",
        "3650",
        "-extfile",
        file("names"),
        "-out",
        file(name + ".pem"));
    return this;
  }

  /** The certificate that others are checked with. */
  public Path trusted() {
    return directory.resolve("ca.pem");
  }

  /** Somebody's certificate. */
  public Path certificate(String name) {
    return directory.resolve(name + ".pem");
  }

  /** Somebody's private key. */
  public Path key(String name) {
    return directory.resolve(name + ".key");
  }

  private String file(String name) {
    return directory.resolve(name).toString();
  }

  private static void openssl(String... arguments) throws IOException {
    List<String> command = new java.util.ArrayList<>(List.of("openssl"));
    command.addAll(List.of(arguments));
    LocalSshServer.run(command);
  }
}
