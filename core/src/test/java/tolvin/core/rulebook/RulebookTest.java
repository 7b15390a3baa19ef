package tolvin.core.rulebook;

import static org.assertj.core.api.Assertions.assertThat;

import com.fasterxml.jackson.core.JsonFactory;
import com.fasterxml.jackson.core.JsonParser;
import java.io.InputStream;
import java.nio.charset.StandardCharsets;
import java.time.Duration;
import java.time.Instant;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.TreeSet;
import net.jqwik.api.ForAll;
import net.jqwik.api.Property;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import tolvin.core.estate.Access;
import tolvin.core.estate.Custody;
import tolvin.core.estate.Family;
import tolvin.core.estate.IdentityKind;
import tolvin.core.estate.Purpose;
import tolvin.core.key.KeyType;
import tolvin.core.rulebook.Facts.Evidence;
import tolvin.core.rulebook.Facts.Holder;
import tolvin.core.rulebook.Facts.Numbers;
import tolvin.core.rulebook.Facts.Place;
import tolvin.core.rulebook.Verdict.Outcome;
import tolvin.core.weak.Weakness;

class RulebookTest {
  private static final Instant NOW = Instant.parse("2026-11-23T12:00:00Z");
  private static final String PRINT = "SHA256:" + "a".repeat(43);

  /** A key against which no demand has anything; each case below spoils one thing. */
  private static Facts good() {
    return new Facts(
        new Numbers(KeyType.SK_ED25519, 256, 0),
        PRINT,
        Custody.DEVICE,
        NOW.minus(Duration.ofDays(10)),
        "crane@quay",
        Optional.of(new Holder(IdentityKind.SERVICE_ACCOUNT, "crane-feed", "Shore systems")),
        Optional.empty(),
        Optional.empty(),
        Set.of(Evidence.values()),
        List.of(),
        Optional.of(
            new Place(
                "sftp.skerrymoor.example",
                Family.SFTP_SERVER,
                Purpose.SIGN_IN,
                Access.WRITE,
                "crane controller",
                List.of("10.0.0.0/8"),
                NOW,
                Optional.of(NOW.plus(Duration.ofDays(30))))));
  }

  private static Facts spoiled(String what) {
    Facts g = good();
    Numbers rsa = new Numbers(KeyType.RSA, 2048, 3);
    Place p = g.place().orElseThrow();
    Place bare =
        new Place(
            p.destination(),
            p.family(),
            p.purpose(),
            p.access(),
            "x",
            List.of(),
            NOW,
            Optional.empty());
    return switch (what) {
      case "numbers" -> with(g, rsa, g.comment(), g.evidence(), g.weaknesses(), g.place());
      case "comment" -> with(g, g.numbers(), "me", g.evidence(), g.weaknesses(), g.place());
      case "evidence" -> with(g, g.numbers(), g.comment(), Set.of(), g.weaknesses(), g.place());
      case "shared" ->
          with(
              g,
              g.numbers(),
              g.comment(),
              g.evidence(),
              List.of(new Weakness(Weakness.Kind.SHARED_FACTOR, "x")),
              g.place());
      case "listed" ->
          with(
              g,
              g.numbers(),
              g.comment(),
              g.evidence(),
              List.of(new Weakness(Weakness.Kind.COMPROMISED, "x")),
              g.place());
      case "place" ->
          with(g, g.numbers(), g.comment(), g.evidence(), g.weaknesses(), Optional.of(bare));
      case "other" ->
          new Facts(
              g.numbers(),
              PRINT,
              Custody.MACHINE,
              NOW.minus(Duration.ofDays(400)),
              g.comment(),
              g.holder(),
              Optional.of("fuel-feed"),
              Optional.of("lost"),
              Set.of(),
              g.weaknesses(),
              g.place());
      default -> g;
    };
  }

  private static Facts with(
      Facts f,
      Numbers numbers,
      String comment,
      Set<Evidence> evidence,
      List<Weakness> weaknesses,
      Optional<Place> place) {
    return new Facts(
        numbers,
        f.fingerprint(),
        f.custody(),
        f.madeAt(),
        comment,
        f.holder(),
        f.otherHolder(),
        f.withdrawnBefore(),
        evidence,
        weaknesses,
        place);
  }

  private static Rulebook book(String when, String demand, String otherwise) {
    String text =
        "rulebook: 1\nrules:\n  - number: 1\n    name: n\n    because: b\n"
            + (when.isEmpty() ? "" : "    when: {" + when + "}\n")
            + "    demand: {"
            + demand
            + "}\n    otherwise: "
            + otherwise
            + "\n";
    RulebookText.Parsed parsed = RulebookText.read(text);
    assertThat(parsed.flaws()).isEmpty();
    return parsed.rulebook().orElseThrow();
  }

  /** Every demand: kept by the good key, broken by the one that is spoiled in the right place. */
  @ParameterizedTest(name = "{0} / {1}")
  @CsvSource(
      delimiter = '|',
      value = {
        "type: sk-ssh-ed25519@openssh.com|numbers",
        "rsa-bits: 3072|numbers",
        "rsa-exponent: 65537|numbers",
        "hardware: true|numbers",
        "user-verification: true|evidence",
        "possession-proof: true|evidence",
        "passphrase: true|other",
        "attestation: true|evidence",
        "age: P365D|other",
        "expiry: P90D|place",
        "comment: '[a-z]+@[a-z]+'|comment",
        "title: '.* controller'|place",
        "one-identity: true|other",
        "never-again: true|other",
        "source-limits: true|place",
        "sound-numbers: true|shared",
        "not-compromised: true|listed",
      })
  void everyDemandIsKeptAndBroken(String demand, String spoil) {
    Rulebook book = book("", demand, "refuse");
    assertThat(book.judge(good(), NOW).outcome()).isEqualTo(Outcome.ACCEPTED);
    Verdict broken = book.judge(spoiled(spoil), NOW);
    assertThat(broken.outcome()).isEqualTo(Outcome.REFUSED);
    assertThat(broken.notes().get(0).sentence()).isNotBlank();
    assertThat(broken.notes().get(0).remedy()).isNotBlank();
    assertThat(book.rules().get(0).demands().get(0).words()).isNotBlank();
    assertThat(book("", demand, "warn").judge(spoiled(spoil), NOW).outcome())
        .isEqualTo(Outcome.ACCEPTED_WITH_WARNINGS);
  }

  @Test
  void noDemandIsLeftOutOfTheTableAbove() {
    assertThat(RulebookText.demandNames()).hasSize(17);
  }

  @ParameterizedTest(name = "{0}: {1}")
  @CsvSource(
      delimiter = '|',
      value = {
        "identity-kind: service_account|true",
        "identity-kind: person|false",
        "identity: [crane-feed, fuel-feed]|true",
        "team: Ticket office|false",
        "destination: sftp.skerrymoor.example|true",
        "family: [warehouse, code_host]|false",
        "purpose: sign-in, access: write|true",
        "purpose: sign-in, access: read|false",
        "custody: device|true",
      })
  void aRuleIsOnlyAboutWhatItsConditionNames(String when, boolean about) {
    Verdict verdict = book(when, "hardware: true", "refuse").judge(spoiled("numbers"), NOW);
    assertThat(verdict.outcome() == Outcome.REFUSED).isEqualTo(about);
  }

  @Test
  void aRuleAboutPlacesSaysNothingOfAKeyByItself() {
    Facts alone =
        with(good(), new Numbers(KeyType.RSA, 2048, 3), "", Set.of(), List.of(), Optional.empty());
    assertThat(book("access: write", "hardware: true", "refuse").judge(alone, NOW).notes())
        .isEmpty();
    assertThat(book("", "source-limits: true", "refuse").judge(alone, NOW).notes()).isEmpty();
  }

  @ParameterizedTest(name = "{0} at {1}: {2}")
  @CsvSource({
    "key: '" + "SHA256:aaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaa" + "',2026-11-30T23:59:59Z,true",
    "identity: crane-feed,2026-11-30T23:59:59Z,true",
    "identity: crane-feed,2026-12-01T00:00:00Z,false",
    "identity: fuel-feed,2026-11-24T00:00:00Z,false",
  })
  void anExceptionLetsItsOwnPassUntilItsEnd(String whose, Instant at, boolean passes) {
    Rulebook book = book("", "source-limits: true", "refuse");
    String text =
        "rulebook: 1\nexceptions:\n  - {rule: 1, "
            + whose
            + ", reason: r, owner: o, until: 2026-11-30}\nrules:\n  - {number: 1, name: n,"
            + " because: b, demand: {source-limits: true}, otherwise: refuse}\n";
    RulebookText.Parsed parsed = RulebookText.read(text);
    assertThat(parsed.flaws()).isEmpty();
    Verdict verdict = parsed.rulebook().orElseThrow().judge(spoiled("place"), at);
    assertThat(verdict.outcome())
        .isEqualTo(passes ? Outcome.ACCEPTED_WITH_WARNINGS : Outcome.REFUSED);
    assertThat(verdict.notes()).hasSameSizeAs(book.judge(spoiled("place"), at).notes());
  }

  @Test
  void everyFlawIsFoundAtOnceWithItsLine() {
    String text =
        """
        rulebook: 1
        rules:
          - number: 10
            name: one
            because: why
            demand: {rsa-bits: lots, colour: red}
            otherwise: forbid
          - number: 10
            name: "two\\u202e"
            demand: {}
            otherwise: warn
        exceptions:
          - {rule: 99, reason: r, owner: o, until: tomorrow}
        cadences:
          - {number: 5, name: n, every: 90 days, lead: P1D, watch: P1D}
        extra: 1
        """;
    List<tolvin.core.yaml.Flaw> flaws = RulebookText.read(text).flaws();
    assertThat(flaws)
        .extracting(tolvin.core.yaml.Flaw::line)
        .containsExactly(6, 6, 7, 8, 8, 9, 10, 13, 13, 13, 15, 16);
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        "''",
        "[",
        "rulebook: 2",
        "- a",
        "rulebook: &a [*a]",
        "rulebook: !!java 1",
        "'rulebook: 1\nrules: 7'"
      })
  void whatIsNoRulebookIsFlawedAndNeverThrows(String text) {
    assertThat(RulebookText.read(text).flaws()).isNotEmpty();
  }

  @Property(tries = 500)
  void anyTextGivesARulebookOrFlaws(@ForAll String text) {
    RulebookText.Parsed parsed = RulebookText.read(text);
    assertThat(parsed.rulebook().isPresent()).isEqualTo(parsed.flaws().isEmpty());
  }

  private static String shipped(String name) throws Exception {
    try (InputStream in = Rulebook.class.getResourceAsStream(name)) {
      return new String(in.readAllBytes(), StandardCharsets.UTF_8);
    }
  }

  @Test
  void theRulebookThatShipsHasNoFlawAndAReasonForEachRule() throws Exception {
    RulebookText.Parsed parsed = RulebookText.read(shipped("shipped.yaml"));
    assertThat(parsed.flaws()).isEmpty();
    assertThat(parsed.rulebook().orElseThrow().rules())
        .hasSizeGreaterThan(8)
        .allSatisfy(rule -> assertThat(rule.because()).endsWith("."));
  }

  /** The schema that editors read names exactly what the reader takes. */
  @Test
  void theSchemaNamesWhatTheReaderTakes() throws Exception {
    Map<String, Set<String>> names = new LinkedHashMap<>();
    try (JsonParser json = new JsonFactory().createParser(shipped("rulebook.schema.json"))) {
      for (var token = json.nextToken(); token != null; token = json.nextToken()) {
        String at = json.getParsingContext().pathAsPointer().toString();
        if (token == com.fasterxml.jackson.core.JsonToken.FIELD_NAME
            && at.matches(".*/properties/[^/]+")) {
          String parent = at.substring(0, at.lastIndexOf("/properties/"));
          names.computeIfAbsent(parent, p -> new TreeSet<>()).add(json.currentName());
        }
      }
    }
    assertThat(names.get("/$defs/rule/properties/demand"))
        .isEqualTo(new TreeSet<>(RulebookText.demandNames()));
    Set<String> properties = new TreeSet<>();
    for (Condition.Property p : Condition.Property.values()) {
      properties.add(p.name().toLowerCase().replace('_', '-'));
    }
    assertThat(names.get("/$defs/rule/properties/when")).isEqualTo(properties);
  }

  @Test
  void anEditLeavesEveryOtherLineAsItIs() throws Exception {
    String text = shipped("shipped.yaml");
    Map<String, String> entry = new LinkedHashMap<>();
    entry.put("rule", "40");
    entry.put("identity", "crane: \"the\" feed");
    entry.put("reason", "# not a comment");
    entry.put("owner", "Isla Renwick");
    entry.put("until", "2027-03-31");
    String once = RulebookEdit.with(text, "exceptions", entry);
    String twice = RulebookEdit.with(once, "exceptions", entry);
    Rulebook book = RulebookText.read(twice).rulebook().orElseThrow();
    assertThat(book.exceptions()).hasSize(2);
    assertThat(book.exceptions().get(1).identity()).contains("crane: \"the\" feed");
    assertThat(book.exceptions().get(1).reason()).isEqualTo("# not a comment");
    assertThat(twice.lines().toList())
        .containsAll(text.lines().filter(l -> !l.startsWith("exceptions")).toList());
    Map<String, String> cadence = new LinkedHashMap<>();
    cadence.put("number", "70");
    cadence.put("name", "feeds");
    cadence.put("every", "PT2160H");
    cadence.put("lead", "PT24H");
    cadence.put("watch", "PT24H");
    String with = RulebookEdit.with(twice, "cadences", cadence);
    assertThat(RulebookText.read(with).rulebook().orElseThrow().cadences()).hasSize(1);
    assertThat(RulebookEdit.without(with, "cadences", 71)).isEmpty();
    String without = RulebookEdit.without(with, "cadences", 70).orElseThrow();
    assertThat(RulebookText.read(without).rulebook().orElseThrow())
        .isEqualTo(RulebookText.read(twice).rulebook().orElseThrow());
  }
}
