package tolvin.service.usage;

import static org.assertj.core.api.Assertions.assertThat;

import java.nio.file.Files;
import java.nio.file.Path;
import java.security.cert.CertificateFactory;
import java.security.cert.X509Certificate;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import tolvin.standins.local.LocalAuthority;

class SenderNamesTest {
  @TempDir Path directory;

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        "DNS:quay.example                | quay.example    | true",
        "DNS:quay.example                | QUAY.example.   | true",
        "DNS:quay.example                | notquay.example | false",
        "DNS:quay.example                | a.quay.example  | false",
        "DNS:quay.example                | quay            | false",
        "DNS:quay.example                | *.example       | false",
        "DNS:*.quay.example              | a.quay.example  | true",
        "DNS:*.quay.example              | a.b.quay.example| false",
        "DNS:*.quay.example              | quay.example    | false",
        "DNS:*                           | quay            | false",
        "DNS:q*.example                  | quay.example    | false",
        "DNS:a.example,DNS:quay.example  | quay.example    | true",
        "IP:127.0.0.2                    | 127.0.0.2       | true",
        "IP:127.0.0.2                    | 127.0.0.20      | false",
        "email:quay.example@people       | quay.example    | false",
        "URI:https://quay.example/       | quay.example    | false",
        "DNS:a.example                   | log collector 7 | true",
        "DNS:a.example                   | collector       | false",
      })
  void aCertificateSpeaksForTheHostsThatItNames(String others, String host, boolean covers)
      throws Exception {
    assertThat(SenderNames.of(certificate(others)).cover(host)).isEqualTo(covers);
  }

  @Test
  void itSaysItsNames() throws Exception {
    SenderNames names = SenderNames.of(certificate("DNS:Quay.example"));
    assertThat(names.cover("")).isFalse();
    assertThat(names).hasToString("quay.example, log collector 7");
  }

  private X509Certificate certificate(String others) throws Exception {
    LocalAuthority authority =
        LocalAuthority.in(directory).certify("log collector 7", others.split(",(?=.)"));
    try (var in = Files.newInputStream(authority.certificate("log collector 7"))) {
      return (X509Certificate) CertificateFactory.getInstance("X.509").generateCertificate(in);
    }
  }
}
