package tolvin.core.form;

import static org.assertj.core.api.Assertions.assertThat;

import java.util.List;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.EnumSource;
import tolvin.core.authorized.KeyOptions;
import tolvin.core.give.GivenOut;
import tolvin.core.intake.Intake;
import tolvin.core.intake.Item;
import tolvin.core.intake.Outcome;
import tolvin.core.key.KeyType;
import tolvin.core.key.OneLine;
import tolvin.core.key.PublicKey;
import tolvin.core.key.RefusedException;
import tolvin.core.key.Samples;

/** What the RFCs themselves print, and every form there and back. */
class VectorsTest {
  private static final String RFC7638_N =
      "0vx7agoebGcQSuuPiLJXZptN9nndrQmbXEps2aiAFbWhM78LhWx4cbbfAAtVT86zwu1RK7aPFFxuhDR1L6tSoc_BJECP"
          + "ebWKRXjBZCiFV4n3oknjhMstn64tZ_2W-5JsGY4Hc5n9yBXArwl93lqt7_RN5w6Cf0h4QyQ5v-65YGjQR0_FDW2"
          + "QvzqY368QQMicAtaSqzs8KJZgnYb9c7d0zgdAZHzu6qMQvRL5hajrn1n91CbOpbISD08qNLyrdkt-bFTWhAI4vM"
          + "QFh6WeZu0fM4lFd2NcRwr3XPksINHaQ-G_xBniIqbw0Ls1jF44-csFCur-kEgU8awapJzKnqDKgw";

  private static PublicKey only(String text) {
    List<Item> items = Intake.read(text.getBytes());
    assertThat(items).hasSize(1);
    assertThat(items.get(0).outcome()).isInstanceOf(Outcome.Key.class);
    return ((Outcome.Key) items.get(0).outcome()).key();
  }

  /** RFC 4716 section 3.6, the first example, with a header that is continued. */
  @Test
  void theExchangeFileOfRfc4716() {
    String file =
        """
        ---- BEGIN SSH2 PUBLIC KEY ----
        Comment: "1024-bit RSA, converted from OpenSSH by me@example.com"
        x-command: /home/me/bin/lock-in-guest.sh
        AAAAB3NzaC1yc2EAAAABIwAAAIEA1on8gxCGJJWSRT4uOrR13mUaUk0hRf4RzxSZ1zRb
        YYFw8pfGesIFoEuVth4HKyF8k1y4mRUnYHP1XNMNMJl1JcEArC2asV8sHf6zSPVffozZ
        5TT4SfsUu/iKy9lUcCfXzwre4WWZSXXcPff+EHtWshahu3WzBdnGxm5Xoi89zcE=
        ---- END SSH2 PUBLIC KEY ----
        """;
    assertThat(only(file).bits()).isEqualTo(1024);
    assertThat(((Outcome.Key) Intake.read(file.getBytes()).get(0).outcome()).comment())
        .isEqualTo("1024-bit RSA, converted from OpenSSH by me@example.com");
  }

  /** RFC 8410 section 10.1 and RFC 8037 appendix A.2: Ed25519 as SPKI and as JWK. */
  @Test
  void ed25519OfRfc8410AndRfc8037() throws Exception {
    PublicKey spki =
        only(
            "-----BEGIN PUBLIC KEY-----\n"
                + "MCowBQYDK2VwAyEAGb9ECWmEzf6FQbrBZ9w7lshQhqowtrbLDFw4rXAxZuE=\n"
                + "-----END PUBLIC KEY-----\n");
    assertThat(spki.type()).isEqualTo(KeyType.ED25519);
    PublicKey jwk =
        only(
            "{\"kty\":\"OKP\",\"crv\":\"Ed25519\","
                + "\"x\":\"11qYAYKxCrfVS_7TyWQHOg7hcvPapiMlrwIaaPcHURo\"}");
    assertThat(Jwk.thumbprint(jwk)).isEqualTo("kPrK_qmxVWaYVA9wwBF6Iuo3vVzz7TxHCTwXBygrS4k");
  }

  /**
   * RFC 7517 appendix A.1: a set of a P-256 and an RSA key; RFC 7638 section 3.1: its thumbprint.
   */
  @Test
  void theSetOfRfc7517AndTheThumbprintOfRfc7638() throws Exception {
    String set =
        """
        {"keys":
          [
            {"kty":"EC",
             "crv":"P-256",
             "x":"MKBCTNIcKUSDii11ySs3526iDZ8AiTo7Tu6KPAqv7D4",
             "y":"4Etl6SRW2YiLUrN5vfvVHuhp7x8PxltmWWlbbM4IFyM",
             "use":"enc",
             "kid":"1"},

            {"kty":"RSA",
             "n": "%s",
             "e":"AQAB",
             "alg":"RS256",
             "kid":"2011-04-29"}
          ]
        }
        """
            .formatted(RFC7638_N);
    List<Item> items = Intake.read(set.getBytes());
    assertThat(items).extracting(Item::line).containsExactly(3L, 10L);
    PublicKey rsa = ((Outcome.Key) items.get(1).outcome()).key();
    assertThat(Jwk.thumbprint(rsa)).isEqualTo("NzbLsXh8uDCcd-6MNwXF4W_7noWXFZAfHkxZsRGC9Xs");
    assertThat(((Outcome.Key) items.get(1).outcome()).comment()).isEqualTo("2011-04-29");
  }

  @ParameterizedTest
  @EnumSource(KeyType.class)
  void everyFormLeadsBackToTheSameKeyOrSaysThatItCannot(KeyType type) throws Exception {
    PublicKey key = OneLine.read(Samples.line(type)).orRefuse().key();
    int refused = 0;
    for (Form form : Form.values()) {
      try {
        assertThat(only(GivenOut.write(key, "crane 4", KeyOptions.NONE, form))).isEqualTo(key);
      } catch (RefusedException cannot) {
        refused++;
      }
    }
    assertThat(refused).isEqualTo(type.hardware() ? 7 : type == KeyType.RSA ? 2 : 3);
  }
}
