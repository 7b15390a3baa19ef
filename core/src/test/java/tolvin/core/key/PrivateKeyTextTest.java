package tolvin.core.key;

import static org.assertj.core.api.Assertions.assertThat;

import com.fasterxml.jackson.databind.JsonNode;
import com.fasterxml.jackson.databind.ObjectMapper;
import java.lang.management.ManagementFactory;
import java.lang.management.ThreadMXBean;
import java.nio.charset.StandardCharsets;
import java.security.KeyPairGenerator;
import java.util.Arrays;
import java.util.Base64;
import java.util.LinkedHashMap;
import java.util.Map;
import org.junit.jupiter.api.DynamicTest;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.TestFactory;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.ValueSource;
import tolvin.core.pair.KeyPairMaker;
import tolvin.core.pair.OpenSshFile;
import tolvin.core.pair.SecretPair;

class PrivateKeyTextTest {

  private static Map<String, byte[]> privateHalves() throws Exception {
    byte[] openssh =
        OpenSshFile.write(KeyPairMaker.ed25519(Samples.RANDOM), "demo", Samples.RANDOM);
    KeyPairGenerator generator = KeyPairGenerator.getInstance("RSA");
    generator.initialize(1024);
    byte[] pkcs8 = generator.generateKeyPair().getPrivate().getEncoded();
    byte[] pkcs1 = Arrays.copyOfRange(pkcs8, 26, pkcs8.length);
    String body = Base64.getMimeEncoder(64, new byte[] {'\n'}).encodeToString(pkcs8);
    String text = new String(openssh, StandardCharsets.US_ASCII);
    Map<String, byte[]> cases = new LinkedHashMap<>();
    cases.put("OpenSSH", openssh);
    cases.put(
        "OpenSSH in a JSON string",
        ("{\"text\":\"" + text.replace("\n", "\\n") + "\"}").getBytes());
    cases.put("OpenSSH, first line lost", text.substring(text.indexOf('\n')).getBytes());
    cases.put("OpenSSH, lines indented", text.replace("\n", "\n  ").getBytes());
    cases.put("OpenSSH, UTF-16", text.getBytes(StandardCharsets.UTF_16));
    cases.put("PKCS#8", pem("PRIVATE KEY", body));
    cases.put("PKCS#8, encrypted", pem("ENCRYPTED PRIVATE KEY", body));
    cases.put("PKCS#8, DER", pkcs8);
    cases.put("PKCS#8, bare", body.getBytes());
    cases.put("PKCS#1", pem("RSA PRIVATE KEY", body));
    cases.put("PKCS#1, DER", pkcs1);
    cases.put("PKCS#1, bare", Base64.getEncoder().encode(pkcs1));
    cases.put("SEC1", pem("EC PRIVATE KEY", body));
    cases.put("DSA", pem("DSA PRIVATE KEY", body));
    cases.put("SSH2", "---- BEGIN SSH2 ENCRYPTED PRIVATE KEY ----\nAAAA\n".getBytes());
    cases.put("private lines", "Public-Lines: 2\nAAAA\nPrivate-Lines: 1\nAAAA\n".getBytes());
    cases.put("OpenSSH, armour broken", text.replace("PRIVATE KEY", "PRIVATE\n> KEY").getBytes());
    cases.put(
        "OpenSSH, everything broken",
        text.replace("OPENSSH PRIVATE", "OPENSSH\nPRIVATE")
            .replace("b3Blb", "b3B\n> lb")
            .getBytes());
    for (int skip = 0; skip < 3; skip++) {
      byte[] shifted = ("xyz".substring(0, skip) + text).getBytes();
      cases.put("in base64 once more, offset " + skip, Base64.getEncoder().encode(shifted));
    }
    cases.put("PKCS#12", pkcs12());
    cases.put("PKCS#12, bare", Base64.getEncoder().encode(pkcs12()));
    cases.put("JWK", "{\"kty\":\"OKP\",\"crv\":\"Ed25519\",\"d\":\"nWGxne\"}".getBytes());
    return cases;
  }

  @TestFactory
  java.util.stream.Stream<DynamicTest> everyCommonKindIsRecognisedAndNeverQuoted()
      throws Exception {
    return privateHalves().entrySet().stream()
        .map(
            entry ->
                DynamicTest.dynamicTest(
                    entry.getKey(),
                    () -> {
                      Reading reading = OneLine.read(entry.getValue());
                      assertThat(reading).isInstanceOf(Reading.Refused.class);
                      Refusal refusal = ((Reading.Refused) reading).refusal();
                      assertThat(refusal.reason()).isEqualTo(Refusal.Reason.PRIVATE_KEY);
                      assertThat(refusal.whole()).contains("exposed").doesNotContain("AAAA");
                    }));
  }

  @Test
  void publicThingsAreNotTakenForPrivateOnes() throws Exception {
    for (KeyType type : KeyType.values()) {
      assertThat(PrivateKeyText.recognise(Samples.line(type).getBytes())).isEmpty();
    }
    byte[] spki = KeyPairGenerator.getInstance("RSA").generateKeyPair().getPublic().getEncoded();
    assertThat(PrivateKeyText.recognise(spki)).isEmpty();
    assertThat(PrivateKeyText.recognise(Base64.getEncoder().encode(spki))).isEmpty();
    assertThat(PrivateKeyText.recognise("{\"name\":\"private key of the crane\"}".getBytes()))
        .isEmpty();
  }

  /** The same vectors as the console's recogniser has in its tests. */
  @Test
  void theVectorsThatTheConsoleSharesAreTold() throws Exception {
    JsonNode vectors = new ObjectMapper().readTree(getClass().getResource("/private-keys.json"));
    assertThat(vectors).hasSizeGreaterThan(50);
    for (JsonNode vector : vectors) {
      byte[] content = vector.get("base64").binaryValue();
      assertThat(PrivateKeyText.recognise(content).isPresent())
          .as(vector.get("about").asText())
          .isEqualTo(vector.get("private").asBoolean());
    }
  }

  /**
   * Whatever is repeated, twice as much of it takes about twice as long, and not four times:
   * anybody may send a body before they have signed in. Counted in processor time, of the best of
   * some.
   */
  @ParameterizedTest
  @ValueSource(
      strings = {
        "\"kty\":",
        "\"kty\" ",
        "\"kty\"",
        "\"d\":",
        "\"d\" : ",
        "\"d\"\n",
        "BEGIN ",
        "BEGIN A ",
        "BEGIN\t\t",
        "BEGIN",
        "BEGIN AAAAAAAA BBBBBBBB PRIVATE ",
        "PRIVATE ",
        "PRIVATE KEY",
        "Private-",
        "\nPrivate-Lines",
        "\n \t ",
        "\\n",
        "\\\\",
        "LS0tLS1CRUdJTi",
        "tLS0tLUJFR0lOI ",
        "M",
        "MIIE",
        "MIIEvQIBADANBgkqhkiG\n",
        "MMMMMMMMMMMMMMMMMM ",
        "M\n",
        "b3Bl ",
        "b3BlbnNzaC1rZXk ",
        "BEGIN\n> ",
        "AAAAAAAAAAAAAAAA ",
        "\u0000",
        "\u0000A",
        " ",
        "\r",
        "0\u0082"
      })
  void twiceAsMuchTakesTwiceAsLong(String unit) {
    byte[] once = unit.repeat(400_000 / unit.length()).getBytes(StandardCharsets.ISO_8859_1);
    byte[] twice = unit.repeat(800_000 / unit.length()).getBytes(StandardCharsets.ISO_8859_1);
    cpu(twice); // compiled by then
    double growth = Double.MAX_VALUE;
    for (int i = 0; i < 40 && growth > 3; i++) { // others may be at work beside
      growth = Math.min(growth, (double) cpu(twice) / Math.max(cpu(once), 1_000_000));
    }
    assertThat(growth).isLessThan(3);
  }

  private static long cpu(byte[] bytes) {
    ThreadMXBean threads = ManagementFactory.getThreadMXBean();
    long begun = threads.getCurrentThreadCpuTime();
    PrivateKeyText.recognise(bytes);
    return threads.getCurrentThreadCpuTime() - begun;
  }

  @Test
  void theHeadOfAPrivateFileGivesThePublicHalfWithoutTheRest() throws Exception {
    SecretPair pair = KeyPairMaker.ed25519(Samples.RANDOM);
    byte[] file = OpenSshFile.write(pair, "node", Samples.RANDOM);
    int length =
        PrivateFileHead.lengthOfPublicPart(Arrays.copyOf(file, PrivateFileHead.FIRST_READ));
    byte[] head = Arrays.copyOf(file, length);
    assertThat(PrivateFileHead.publicKey(head)).isEqualTo(pair.key());
    byte[] decoded =
        Base64.getDecoder()
            .decode(
                new String(head, StandardCharsets.US_ASCII)
                    .replaceAll("-----.*-----|\n", "")
                    .replaceAll("(?s)^(.*)$", "$1")
                    .substring(0, (length - 36 - length / 71) / 4 * 4));
    assertThat(indexOf(decoded, pair.secret())).isEqualTo(-1);
  }

  private static byte[] pkcs12() throws Exception {
    java.security.KeyStore store = java.security.KeyStore.getInstance("PKCS12");
    store.load(null, null);
    java.io.ByteArrayOutputStream out = new java.io.ByteArrayOutputStream();
    store.store(out, "made up".toCharArray());
    return out.toByteArray();
  }

  @Test
  void aPrivateHalfIsFoundAnywhereInALongStream() throws Exception {
    byte[] secret = OpenSshFile.write(KeyPairMaker.ed25519(Samples.RANDOM), "demo", Samples.RANDOM);
    for (int before : new int[] {0, (1 << 20) - 100, 3 << 20}) {
      byte[] stream = new byte[before + secret.length + 5_000_000];
      Arrays.fill(stream, (byte) 'x');
      System.arraycopy(secret, 0, stream, before, secret.length);
      assertThat(PrivateKeyText.scan(new java.io.ByteArrayInputStream(stream))).isPresent();
      Arrays.fill(stream, before, before + secret.length, (byte) 'x');
      assertThat(PrivateKeyText.scan(new java.io.ByteArrayInputStream(stream))).isEmpty();
    }
  }

  private static int indexOf(byte[] in, byte[] what) {
    for (int i = 0; i + 8 <= in.length; i++) {
      if (Arrays.equals(in, i, i + 8, what, 0, 8)) {
        return i;
      }
    }
    return -1;
  }

  private static byte[] pem(String label, String body) {
    return ("-----BEGIN " + label + "-----\n" + body + "\n-----END " + label + "-----\n")
        .getBytes();
  }
}
