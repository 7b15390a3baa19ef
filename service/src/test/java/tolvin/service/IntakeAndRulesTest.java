package tolvin.service;

import static org.assertj.core.api.Assertions.assertThat;
import static org.hamcrest.Matchers.containsString;
import static org.hamcrest.Matchers.equalTo;
import static org.hamcrest.Matchers.hasItem;
import static org.hamcrest.Matchers.notNullValue;
import static org.hamcrest.Matchers.nullValue;
import static org.hamcrest.Matchers.startsWith;
import static tolvin.service.Caller.addIdentity;
import static tolvin.service.Caller.api;
import static tolvin.service.Caller.line;

import io.quarkus.test.common.QuarkusTestResource;
import io.quarkus.test.junit.QuarkusTest;
import io.restassured.http.ContentType;
import io.restassured.path.json.JsonPath;
import java.math.BigInteger;
import java.nio.charset.StandardCharsets;
import java.security.SecureRandom;
import java.util.ArrayList;
import java.util.HexFormat;
import java.util.List;
import java.util.Map;
import java.util.UUID;
import org.junit.jupiter.api.Test;
import tolvin.core.give.RevocationReading;
import tolvin.core.key.Fingerprint;
import tolvin.core.key.KeyNumbers;
import tolvin.core.key.OneLine;
import tolvin.core.key.PublicKey;

/** Intake, verdicts, weak keys, comparing and giving out, through the API. */
@QuarkusTest
@QuarkusTestResource(PostgresForTests.class)
class IntakeAndRulesTest {
  private static final SecureRandom RANDOM = new SecureRandom();

  private static JsonPath look(byte[] content) {
    return api()
        .contentType(ContentType.BINARY)
        .body(content)
        .post("/api/v1/intake/look")
        .then()
        .statusCode(200)
        .extract()
        .jsonPath();
  }

  private static String add(String line) {
    return api()
        .body(Map.of("text", line, "identityId", addIdentity()))
        .post("/api/v1/keys")
        .then()
        .log()
        .ifValidationFails()
        .statusCode(200)
        .extract()
        .path("id");
  }

  private static String rsa(BigInteger p, BigInteger q, long exponent) throws Exception {
    return new KeyNumbers.Rsa(p.multiply(q), BigInteger.valueOf(exponent)).key().line("fuel depot");
  }

  private static BigInteger prime() {
    return new BigInteger(1024, 20, RANDOM).setBit(1023).setBit(1022).nextProbablePrime();
  }

  @Test
  void aMailWithKeysOfSeveralFormsIsTakenApartAndJudged() throws Exception {
    String wrapped = rsa(prime(), prime(), 65537).replaceAll("(.{70})", "$1\n> ");
    String text = "Hello,\nhere they are:\n\n> " + wrapped + "\n\nname " + line() + "\n" + line();
    JsonPath look = look(text.getBytes(StandardCharsets.UTF_8));
    assertThat(look.getList("pieces.outcome")).containsExactly("refused", "key", "question", "key");
    assertThat(look.getList("pieces[1].corrections.word")).contains("wrapped", "reply-marks");
    assertThat(look.getString("pieces[1].verdict.outcome")).isEqualTo("accepted-with-warnings");
    assertThat(look.getList("pieces[1].verdict.notes.rule")).contains(12);
    assertThat(look.getInt("keys")).isEqualTo(2);
  }

  @Test
  void manyLinesAreTakenInEachByItself() {
    String owner = "pilot-" + UUID.randomUUID();
    api()
        .body(Map.of("name", owner, "kind", "person", "team", "t", "responsible", "r"))
        .post("/api/v1/identities");
    List<String> lines = new ArrayList<>();
    for (int i = 0; i < 200; i++) {
      lines.add(line() + " " + (i % 2 == 0 ? owner : owner + "@laptop"));
    }
    lines.set(7, "no key at all");
    lines.set(9, lines.get(3));
    JsonPath first = take(lines);
    assertThat(first.getInt("registered")).isEqualTo(198);
    assertThat(first.getString("results[7].outcome")).isEqualTo("no-key");
    assertThat(first.getString("results[9].outcome")).isEqualTo("again");
    assertThat(first.getString("results[0].identity")).isEqualTo(owner);
    assertThat(first.getString("results[1].identity")).isEqualTo(owner);
    JsonPath second = take(lines);
    assertThat(second.getInt("registered")).isZero();
    assertThat(second.getInt("there")).isEqualTo(199);
    api()
        .get("/api/v1/journal?action=key.registered&subject=" + first.getString("results[0].keyId"))
        .then()
        .body("items[0].text", containsString(owner));
  }

  private static JsonPath take(List<String> lines) {
    return api()
        .body(Map.of("lines", lines, "byComment", true, "custody", "machine"))
        .post("/api/v1/intake")
        .then()
        .statusCode(200)
        .extract()
        .jsonPath();
  }

  @Test
  void aRuleRefusesWithItsNumberItsReasonAndAWayOutAndAnExceptionLetsPass() throws Exception {
    String line = rsa(prime(), prime(), 3);
    api()
        .body(Map.of("text", line, "identityId", addIdentity()))
        .post("/api/v1/keys")
        .then()
        .statusCode(422)
        .body("type", equalTo("urn:tolvin:problem:refused-by-rule"))
        .body("detail", containsString("Rule 13"))
        .body("remedy", notNullValue());
    String print = OneLine.read(line).orRefuse().key().fingerprintText();
    api()
        .body(
            Map.of(
                "rule",
                13,
                "key",
                print,
                "reason",
                "the crane's controller",
                "owner",
                "Isla",
                "until",
                "2999-12-31"))
        .post("/api/v1/rulebook/exceptions")
        .then()
        .statusCode(200);
    String id = add(line);
    api()
        .get("/api/v1/keys/" + id + "/verdicts")
        .then()
        .body("[0].verdict.outcome", equalTo("accepted-with-warnings"))
        .body("[0].verdict.notes.exception", hasItem(startsWith("the crane's controller")));
  }

  @Test
  void factorsSharedWithAStoredKeyAreFoundAndBothAreMarked() throws Exception {
    BigInteger shared = prime();
    String first = add(rsa(shared, prime(), 65537));
    api()
        .body(Map.of("text", rsa(shared, prime(), 65537), "identityId", addIdentity()))
        .post("/api/v1/keys")
        .then()
        .statusCode(422)
        .body("detail", containsString("shares a prime factor"));
    // What the refused key revealed about the stored one is not lost with the refusal.
    api()
        .get("/api/v1/keys/" + first + "/verdicts")
        .then()
        .body("[0].verdict.outcome", equalTo("refused"))
        .body("[0].verdict.notes.rule", hasItem(14));
  }

  @Test
  void aListOfCompromisedKeysIsHeldAgainstOldAndNewKeysUntilItIsTakenAway() throws Exception {
    PublicKey known = OneLine.read(line()).orRefuse().key();
    PublicKey fresh = OneLine.read(line()).orRefuse().key();
    String id = add(known.line());
    String name = "leak " + UUID.randomUUID();
    byte[] list =
        ("# found in a leaked back-up\n" + known.md5() + "\n" + hex(fresh) + "\n").getBytes();
    JsonPath loaded = load(name, list, 200);
    assertThat(loaded.getInt("entries")).isEqualTo(2);
    assertThat(loaded.getInt("known")).isEqualTo(1);
    api()
        .get("/api/v1/keys/" + id + "/verdicts")
        .then()
        .body("[0].verdict.notes.rule", hasItem(15));
    assertThat(look(fresh.line().getBytes()).getString("pieces[0].verdict.outcome"))
        .isEqualTo("refused");
    api().delete("/api/v1/compromised-lists/" + loaded.getString("id")).then().statusCode(204);
    assertThat(look(fresh.line().getBytes()).getList("pieces[0].verdict.notes.rule"))
        .doesNotContain(15);
    assertThat(load(name, "what is this?\n".getBytes(), 422).getString("detail"))
        .contains("Line 1");
    String sha1 = Fingerprint.sha1(known.blob()) + "\n" + Fingerprint.sha1(fresh.blob());
    JsonPath second = load(name, ("strange\n" + sha1).getBytes(), 200);
    assertThat(second.getInt("entries")).isEqualTo(2);
    assertThat(second.getInt("known")).isEqualTo(1);
    assertThat(second.getString("notes[0]")).contains("Line 1");
    assertThat(look(fresh.line().getBytes()).getString("pieces[0].verdict.outcome"))
        .isEqualTo("refused");
    api().delete("/api/v1/compromised-lists/" + second.getString("id")).then().statusCode(204);
  }

  private static JsonPath load(String name, byte[] content, int status) {
    return api()
        .contentType(ContentType.BINARY)
        .queryParam("name", name)
        .body(content)
        .post("/api/v1/compromised-lists")
        .then()
        .statusCode(status)
        .extract()
        .jsonPath();
  }

  private static String hex(PublicKey key) {
    return HexFormat.of().formatHex(Fingerprint.sha256(key.blob()));
  }

  @Test
  void aChangeOfTheRulebookIsPreviewedSavedAsAVersionAndCollidesWithAnother() throws Exception {
    String id = add(rsa(prime(), prime(), 65537));
    JsonPath now = api().get("/api/v1/rulebook").jsonPath();
    int version = now.getInt("version");
    String stricter =
        now.getString("text")
            .replace(
                "rsa-bits: 3072\n    otherwise: warn", "rsa-bits: 3072\n    otherwise: refuse");
    JsonPath preview =
        api().body(Map.of("text", stricter)).post("/api/v1/rulebook/preview").jsonPath();
    assertThat(preview.getList("changes.keyId")).contains(id);
    assertThat(preview.getList("counts.after")).contains("refused");
    assertThat(api().get("/api/v1/rulebook").jsonPath().getInt("version")).isEqualTo(version);
    api()
        .body(Map.of("text", "rulebook: 1\nrules:\n  - number: x\n    colour: red\n"))
        .post("/api/v1/rulebook/preview")
        .then()
        .body("flaws.line", hasItem(4))
        .body("changes", org.hamcrest.Matchers.empty());
    Map<String, String> request = Map.of("text", stricter, "reason", "a test", "ticket", "SK-12");
    api()
        .header("If-Match", "\"" + version + "\"")
        .body(request)
        .put("/api/v1/rulebook")
        .then()
        .statusCode(200)
        .header("ETag", "\"" + (version + 1) + "\"");
    api()
        .header("If-Match", "\"" + version + "\"")
        .body(request)
        .put("/api/v1/rulebook")
        .then()
        .statusCode(412);
    api().body(request).put("/api/v1/rulebook").then().statusCode(428);
    api()
        .get("/api/v1/keys/" + id + "/verdicts")
        .then()
        .body("[0].verdict.outcome", equalTo("refused"));
    api()
        .header("If-Match", "\"" + (version + 1) + "\"")
        .body(Map.of("text", now.getString("text"), "reason", "back"))
        .put("/api/v1/rulebook")
        .then()
        .statusCode(200);
    api()
        .get("/api/v1/journal?action=rulebook.saved")
        .then()
        .body("items[1].text", containsString("a test"));
  }

  /** A key may belong to nobody yet; whatever is asked about it must be answered all the same. */
  @Test
  void aKeyThatBelongsToNobodyYetIsShownLikeAnyOther() {
    String id = api().body(Map.of("text", line() + " lone")).post("/api/v1/keys").path("id");
    for (String part : List.of("", "/verdicts", "/forms", "/uses", "/dependences")) {
      api().get("/api/v1/keys/" + id + part).then().statusCode(200);
    }
    api().get("/api/v1/keys?search=lone").then().body("items.id", hasItem(id));
    api().get("/api/v1/allowed-signers").then().statusCode(200);
    api().get("/api/v1/today").then().statusCode(200);
  }

  @Test
  void aFingerprintInAnyNotationFindsItsKeyOrTheNearest() throws Exception {
    PublicKey key = OneLine.read(line()).orRefuse().key();
    String id = add(key.line());
    String print = key.fingerprintText();
    char other = print.charAt(11) == 'x' ? 'y' : 'x';
    String wrong = print.substring(0, 11) + other + print.substring(12);
    for (String text :
        List.of(
            print,
            print.substring(7),
            print + "=",
            hex(key),
            key.md5(),
            key.line(),
            "256 " + print + " me@laptop (ED25519)",
            key.md5().substring(4).replace(":", ""))) {
      api()
          .body(Map.of("text", text))
          .post("/api/v1/keys/compare")
          .then()
          .body("matches[0].keyId", equalTo(id))
          .body("matches[0].same", equalTo(true));
    }
    api()
        .body(Map.of("text", wrong))
        .post("/api/v1/keys/compare")
        .then()
        .body("matches[0].keyId", equalTo(id))
        .body("matches[0].same", equalTo(false))
        .body("matches[0].at", equalTo(5))
        .body("matches[0].sentence", equalTo("differs in the 5th character alone"));
    api().body(Map.of("text", "hello")).post("/api/v1/keys/compare").then().statusCode(422);
  }

  @Test
  void aKeyIsGivenOutInEveryFormAndWhatIsGoneIsOnTheRevocationList() throws Exception {
    String id = add(line() + " harbour crane");
    api()
        .get("/api/v1/keys/" + id + "/forms")
        .then()
        .body("forms.form", hasItem("rfc4716"))
        .body("forms.find { it.form == 'rfc4716' }.text", containsString("harbour crane"))
        .body("forms.find { it.form == 'pkcs1-pem' }.text", nullValue())
        .body("forms.find { it.form == 'pkcs1-pem' }.refusal", containsString("RSA"));
    byte[] list = api().get("/api/v1/revocation-list").asByteArray();
    assertThat(RevocationReading.read(list).list().keys()).isNotNull();
    assertThat(api().get("/api/v1/allowed-signers").asString()).contains("namespaces=\"git\"");
  }
}
