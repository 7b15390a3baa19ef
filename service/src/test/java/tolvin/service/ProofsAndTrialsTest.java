package tolvin.service;

import static io.restassured.RestAssured.given;
import static org.assertj.core.api.Assertions.assertThat;
import static org.hamcrest.Matchers.contains;
import static org.hamcrest.Matchers.containsString;
import static org.hamcrest.Matchers.equalTo;
import static org.hamcrest.Matchers.greaterThanOrEqualTo;
import static org.hamcrest.Matchers.hasItem;
import static org.hamcrest.Matchers.startsWith;
import static tolvin.service.Caller.api;

import io.quarkus.test.common.QuarkusTestResource;
import io.quarkus.test.junit.QuarkusTest;
import io.restassured.http.ContentType;
import io.restassured.response.ValidatableResponse;
import io.restassured.specification.RequestSpecification;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.security.SecureRandom;
import java.time.Duration;
import java.util.Base64;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.UUID;
import org.junit.jupiter.api.Test;
import tolvin.connectors.file.PrivateFiles;
import tolvin.core.form.Pem;
import tolvin.core.key.KeyType;
import tolvin.core.pair.HardwareHandle;
import tolvin.core.pair.KeyChoice;
import tolvin.core.pair.KeyPairMaker;
import tolvin.core.pair.SecretPair;
import tolvin.core.proof.SshSignature;
import tolvin.standins.securitykey.Device;
import tolvin.standins.securitykey.Maker;

/** Keys made here, proven, attested, downloaded; trials reported by their holders. */
@QuarkusTest
@QuarkusTestResource(PostgresForTests.class)
class ProofsAndTrialsTest {
  private static final SecureRandom RANDOM = new SecureRandom();
  private static final String PASSPHRASE = "haul away joe canary";

  /** A person with a user of their own. */
  private record Person(String identity, String name, String token, RequestSpecification session) {
    RequestSpecification calls() {
      return given().auth().oauth2(token).contentType(ContentType.JSON);
    }
  }

  private static Person person() {
    String name = "Person " + UUID.randomUUID();
    String identity =
        api()
            .body(Map.of("name", name, "kind", "person", "team", "Bridge", "responsible", name))
            .post("/api/v1/identities")
            .path("id");
    String login = "p" + UUID.randomUUID().toString().substring(0, 8);
    RequestSpecification session = Caller.joined(login, identity);
    String token =
        given()
            .spec(session)
            .body(Map.of("name", "t", "life", "P1D"))
            .post("/api/v1/tokens")
            .path("token");
    return new Person(identity, name, token, session);
  }

  private static Map<String, String> challenge(Person person) {
    var answer = person.calls().body("{}").post("/api/v1/challenges").then().statusCode(200);
    return Map.of(
        "id", answer.extract().path("id"),
        "text", answer.extract().path("text"),
        "namespace", answer.extract().path("namespace"));
  }

  private static ValidatableResponse answer(Person person, String challenge, Object body) {
    return person.calls().body(body).post("/api/v1/challenges/" + challenge + "/answer").then();
  }

  private static String signed(SecretPair pair, Map<String, String> challenge) throws Exception {
    byte[] text = challenge.get("text").getBytes(StandardCharsets.UTF_8);
    return SshSignature.make(pair, challenge.get("namespace"), text).text();
  }

  @Test
  void aPersonRegistersAKeyWithProofOnceAndSeesTheirOwnOnly() throws Exception {
    Person isla = person();
    Person tormod = person();
    SecretPair pair = KeyPairMaker.ed25519(RANDOM);
    Map<String, String> asked = challenge(isla);
    Map<String, String> proof = Map.of("signature", signed(pair, asked));
    answer(tormod, asked.get("id"), proof).statusCode(403);
    answer(isla, asked.get("id"), proof)
        .statusCode(200)
        .body("fingerprint", equalTo(pair.key().fingerprintText()))
        .body("proofs.kind", contains("possession"));
    answer(isla, asked.get("id"), proof)
        .statusCode(422)
        .body("type", equalTo("urn:tolvin:problem:no-proof-used-before"));
    answer(tormod, challenge(tormod).get("id"), proof)
        .statusCode(422)
        .body("type", equalTo("urn:tolvin:problem:no-proof-other-identity"));
    isla.calls()
        .get("/api/v1/mine")
        .then()
        .body("keys.fingerprint", contains(pair.key().fingerprintText()));
    tormod.calls().get("/api/v1/mine").then().body("keys.size()", equalTo(0));
    isla.calls().get("/api/v1/keys").then().statusCode(403);
    isla.calls().get("/api/v1/journal").then().statusCode(403);

    // another person proves to hold the same key: it stays where it is
    Map<String, String> second = challenge(tormod);
    answer(tormod, second.get("id"), Map.of("signature", signed(pair, second)))
        .statusCode(409)
        .body("type", equalTo("urn:tolvin:problem:key-registered"));
  }

  @Test
  void aSecurityKeyIsProvenWholeAndACopyOfItIsNoticed() throws Exception {
    Person isla = person();
    Maker maker = Maker.make("Made-up " + UUID.randomUUID());
    Device device = new Device(maker, "1234", Duration.ofSeconds(1));
    device.finger(Device.Finger.ALWAYS);
    device.typePin("1234");
    Map<String, String> asked = challenge(isla);
    byte[] text = asked.get("text").getBytes(StandardCharsets.UTF_8);
    Device.Enrolled made =
        device.enroll(
            KeyType.SK_ECDSA_P256,
            "ssh:",
            "",
            HardwareHandle.TOUCH | HardwareHandle.VERIFICATION,
            text,
            null);
    Map<String, Object> body = new HashMap<>();
    body.put("signature", byDevice(device, made.handle(), asked));
    body.put("attestation", Base64.getEncoder().encodeToString(made.attestation()));
    answer(isla, asked.get("id"), body)
        .statusCode(200)
        .body("proofs.kind", contains("possession"))
        .body("proofs[0].note", containsString("no maker that is trusted"))
        .body("proofs[0].touched", equalTo(true))
        .body("proofs[0].verified", equalTo(true));

    api()
        .body(Map.of("certificate", Pem.write("CERTIFICATE", maker.certificate().getEncoded())))
        .post("/api/v1/trust-anchors")
        .then()
        .statusCode(200);
    Map<String, String> again = challenge(isla);
    Device.Enrolled second =
        device.enroll(
            KeyType.SK_ED25519,
            "ssh:",
            "",
            HardwareHandle.TOUCH,
            again.get("text").getBytes(StandardCharsets.UTF_8),
            null);
    body.put("signature", byDevice(device, second.handle(), again));
    answer(isla, again.get("id"), body) // the attestation of the other key
        .statusCode(422)
        .body("type", equalTo("urn:tolvin:problem:no-proof-bad-attestation"));
    Map<String, String> third = challenge(isla);
    byte[] thirdText = third.get("text").getBytes(StandardCharsets.UTF_8);
    Device.Enrolled attested =
        device.enroll(KeyType.SK_ED25519, "ssh:", "", HardwareHandle.TOUCH, thirdText, null);
    body.put("signature", byDevice(device, attested.handle(), third));
    body.put("attestation", Base64.getEncoder().encodeToString(attested.attestation()));
    String key =
        answer(isla, third.get("id"), body)
            .statusCode(200)
            .body("proofs.kind", contains("possession", "hardware"))
            .body("proofs[1].model", equalTo(Device.model().toString()))
            .body("proofs[1].maker", containsString("Made-up"))
            .extract()
            .path("keyId");

    // a copy of the device would count from where it was copied
    device.counter(1);
    Map<String, String> fourth = challenge(isla);
    answer(isla, fourth.get("id"), Map.of("signature", byDevice(device, attested.handle(), fourth)))
        .statusCode(200);
    api()
        .get("/api/v1/keys/" + key + "/proofs")
        .then()
        .body("counter.wentBackTo", equalTo(2))
        .body("counter.counter", equalTo(3));
    isla.calls().get("/api/v1/mine").then().body("keys.copied", hasItem(true));

    Device plain = new Device(null, "1234", Duration.ofSeconds(1));
    plain.finger(Device.Finger.ALWAYS);
    Map<String, String> fifth = challenge(isla);
    byte[] fifthText = fifth.get("text").getBytes(StandardCharsets.UTF_8);
    Device.Enrolled bare =
        plain.enroll(KeyType.SK_ED25519, "ssh:", "", HardwareHandle.TOUCH, fifthText, null);
    body.put("signature", byDevice(plain, bare.handle(), fifth));
    body.put("attestation", Base64.getEncoder().encodeToString(bare.attestation()));
    answer(isla, fifth.get("id"), body)
        .statusCode(200)
        .body("proofs[0].note", startsWith("No attestation"));

    // signed without a touch, and by a browser
    Map<String, String> sixth = challenge(isla);
    Device.Enrolled untouched = device.enroll(KeyType.SK_ED25519, "ssh:", "", 0, new byte[0], null);
    HardwareHandle silent =
        new HardwareHandle(untouched.handle().key(), 0, untouched.handle().handle());
    answer(isla, sixth.get("id"), Map.of("signature", byDevice(device, silent, sixth)))
        .statusCode(422)
        .body("type", equalTo("urn:tolvin:problem:no-proof-not-touched"));
    answer(isla, sixth.get("id"), Map.of("signature", byBrowser(device, made.handle(), sixth)))
        .statusCode(200)
        .body("proofs.origin", hasItem("https://keys.skerrymoor.example"));
  }

  private static String byDevice(Device device, HardwareHandle key, Map<String, String> asked)
      throws Exception {
    return SshSignature.make(
            new StandIn(key, data -> device.sign(key, data, null)),
            asked.get("namespace"),
            asked.get("text").getBytes(StandardCharsets.UTF_8))
        .text();
  }

  private static String byBrowser(Device device, HardwareHandle key, Map<String, String> asked)
      throws Exception {
    return SshSignature.make(
            new StandIn(
                key, data -> device.signForBrowser(key, data, "https://keys.skerrymoor.example")),
            asked.get("namespace"),
            asked.get("text").getBytes(StandardCharsets.UTF_8))
        .text();
  }

  private interface Signing {
    byte[] sign(byte[] data) throws Exception;
  }

  private record StandIn(HardwareHandle handle, Signing signing)
      implements tolvin.core.pair.Signer {
    @Override
    public tolvin.core.key.PublicKey key() {
      return handle.key();
    }

    @Override
    public byte[] sign(byte[] data, String algorithm) {
      try {
        return signing.sign(data);
      } catch (Exception e) {
        throw new IllegalStateException(e);
      }
    }

    @Override
    public void close() {
      // the device keeps it
    }
  }

  @Test
  void aPrivateHalfLeavesTheCofferOnceToItsOwnerAndIsNowhereElse() throws Exception {
    Person isla = person();
    Person tormod = person();
    Map<KeyChoice, String> forms =
        Map.of(
            KeyChoice.ED25519, "openssh", KeyChoice.ECDSA_P384, "pem", KeyChoice.RSA_3072, "pkcs8");
    for (KeyChoice choice : forms.keySet()) {
      String form = forms.get(choice);
      var made =
          api()
              .body(Map.of("identityId", isla.identity(), "choice", choice.word()))
              .post("/api/v1/made-keys")
              .then()
              .statusCode(200)
              .body("line", containsString(isla.name().replace(' ', '-')))
              .extract();
      String download = "/api/v1/made-keys/" + made.path("id") + "/download";
      Map<String, String> request = Map.of("passphrase", PASSPHRASE, "form", form);
      List<Map<String, Object>> readers =
          given()
              .spec(isla.session())
              .get("/api/v1/made-keys/" + made.path("id") + "/forms")
              .then()
              .statusCode(200)
              .extract()
              .path("$");
      assertThat(readers)
          .filteredOn(r -> r.get("form").equals(form))
          .singleElement()
          .satisfies(r -> assertThat((List<?>) r.get("readBy")).isNotEmpty());
      api().body(request).post(download).then().statusCode(403);
      tormod.calls().body(request).post(download).then().statusCode(403);
      isla.calls().body(request).post(download).then().statusCode(403); // a token is not enough
      given()
          .spec(isla.session())
          .body(Map.of("passphrase", "short", "form", form))
          .post(download)
          .then()
          .statusCode(422);
      byte[] file =
          given()
              .spec(isla.session())
              .body(request)
              .post(download)
              .then()
              .statusCode(200)
              .extract()
              .asByteArray();
      given().spec(isla.session()).body(request).post(download).then().statusCode(409);
      SecretPair pair = PrivateFiles.open(file, PASSPHRASE::toCharArray).pair().orElseThrow();
      assertThat(pair.key().fingerprintText()).isEqualTo(made.path("fingerprint"));
      String secret = Base64.getEncoder().encodeToString(pair.secret());
      String dump = PostgresForTests.postgres.dump();
      assertThat(dump)
          .contains(pair.key().fingerprintText())
          .doesNotContain(PASSPHRASE)
          .doesNotContain(java.util.HexFormat.of().formatHex(pair.secret()))
          .doesNotContain(secret.substring(0, Math.min(40, secret.length())));
    }
    api()
        .body(Map.of("identityId", isla.identity(), "choice", "dsa"))
        .post("/api/v1/made-keys")
        .then()
        .statusCode(422);
    api()
        .get("/api/v1/journal?action=key.downloaded")
        .then()
        .body("items.size()", greaterThanOrEqualTo(3));
    assertThat(Files.readString(Path.of("target/quarkus.log"))).doesNotContain(PASSPHRASE);
  }

  @Test
  void aRuleCanWantAPassphraseOrAProof() throws Exception {
    Person isla = person();
    String text = api().get("/api/v1/rulebook").path("text");
    int version = api().get("/api/v1/rulebook").path("version");
    String rule =
        "\n  - number: 91\n    name: closed files\n    because: Laptops get lost.\n    when:\n"
            + "      identity: \""
            + isla.name()
            + "\"\n    demand:\n      passphrase: true\n"
            + "      possession-proof: true\n    otherwise: refuse\n";
    int at = text.indexOf("rules:\n") + 7;
    api()
        .header("If-Match", "\"" + version + "\"")
        .body(
            Map.of(
                "text",
                text.substring(0, at) + rule.substring(1) + text.substring(at),
                "reason",
                "test",
                "ticket",
                "T-1"))
        .put("/api/v1/rulebook")
        .then()
        .statusCode(200);
    isla.calls()
        .body("{}")
        .post("/api/v1/challenges")
        .then()
        .body("passphraseRule", equalTo("Rule 91 (closed files)"));
    api()
        .body(Map.of("text", Caller.line(), "identityId", isla.identity()))
        .post("/api/v1/keys")
        .then()
        .statusCode(422)
        .body("type", equalTo("urn:tolvin:problem:refused-by-rule"));
    SecretPair pair = KeyPairMaker.ed25519(RANDOM);
    Map<String, String> asked = challenge(isla);
    answer(
            isla,
            asked.get("id"),
            Map.of("signature", signed(pair, asked), "custody", "machine", "passphrase", false))
        .statusCode(422);
    Map<String, String> again = challenge(isla);
    answer(
            isla,
            again.get("id"),
            Map.of("signature", signed(pair, again), "custody", "machine", "passphrase", true))
        .statusCode(200);
  }
}
