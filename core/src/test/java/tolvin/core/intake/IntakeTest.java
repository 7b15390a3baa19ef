package tolvin.core.intake;

import static org.assertj.core.api.Assertions.assertThat;
import static tolvin.core.intake.Correction.ARMOUR_FLATTENED;
import static tolvin.core.intake.Correction.ARMOUR_LABEL;
import static tolvin.core.intake.Correction.BLANKS;
import static tolvin.core.intake.Correction.BLANK_INSIDE;
import static tolvin.core.intake.Correction.BYTE_ORDER_MARK;
import static tolvin.core.intake.Correction.FENCE;
import static tolvin.core.intake.Correction.INVISIBLE;
import static tolvin.core.intake.Correction.LINE_ENDS;
import static tolvin.core.intake.Correction.LIST_MARK;
import static tolvin.core.intake.Correction.PLUS_LOST;
import static tolvin.core.intake.Correction.QUOTES;
import static tolvin.core.intake.Correction.REPLY_MARKS;
import static tolvin.core.intake.Correction.TYPE_WORD;
import static tolvin.core.intake.Correction.UTF_16;
import static tolvin.core.intake.Correction.WRAPPED;

import java.io.IOException;
import java.io.InputStream;
import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.Base64;
import java.util.List;
import java.util.Set;
import java.util.concurrent.atomic.AtomicLong;
import java.util.stream.Stream;
import net.jqwik.api.ForAll;
import net.jqwik.api.Property;
import org.junit.jupiter.api.DynamicTest;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.TestFactory;
import tolvin.core.form.DerKeys;
import tolvin.core.form.ExchangeFile;
import tolvin.core.form.Form;
import tolvin.core.form.Jwk;
import tolvin.core.form.Pem;
import tolvin.core.key.KeyType;
import tolvin.core.key.OneLine;
import tolvin.core.key.PublicKey;
import tolvin.core.key.Refusal.Reason;
import tolvin.core.key.Samples;

class IntakeTest {
  private static final PublicKey RSA = key(KeyType.RSA);
  private static final PublicKey ED = key(KeyType.ED25519);
  private static final String BODY = ED.line().split(" ")[1];
  private static final String LINE = ED.line("crane 4");

  private static PublicKey key(KeyType type) {
    try {
      return OneLine.read(Samples.line(type)).orRefuse().key();
    } catch (Exception e) {
      throw new IllegalStateException(e);
    }
  }

  private record Case(
      String name, byte[] text, PublicKey key, Form form, Set<Correction> corrections) {
    Case(String name, String text, PublicKey key, Form form, Correction... corrections) {
      this(name, text.getBytes(StandardCharsets.UTF_8), key, form, Set.of(corrections));
    }
  }

  /** Text as it comes by mail, chat and form, and what must be made of it. */
  @TestFactory
  Stream<DynamicTest> everyFormIsReadAndEveryMendingIsSaid() throws Exception {
    String rsa = RSA.line("fuel");
    String spki = Pem.write("PUBLIC KEY", DerKeys.writeSpki(RSA));
    String flat = spki.replace("\n", " ");
    List<Case> cases = new ArrayList<>();
    cases.add(new Case("one line", LINE, ED, Form.ONE_LINE));
    cases.add(new Case("blanks around", " \t" + LINE + "  \n\n", ED, Form.ONE_LINE, BLANKS));
    cases.add(new Case("CRLF", LINE + "\r\n", ED, Form.ONE_LINE, LINE_ENDS));
    cases.add(new Case("byte-order mark", "\ufeff" + LINE, ED, Form.ONE_LINE, BYTE_ORDER_MARK));
    cases.add(wide("UTF-16 with a mark", StandardCharsets.UTF_16));
    cases.add(wide("UTF-16, little end first", StandardCharsets.UTF_16LE));
    cases.add(wide("UTF-16, big end first", StandardCharsets.UTF_16BE));
    cases.add(new Case("wrapped", wrapped(rsa, 70), RSA, Form.ONE_LINE, WRAPPED));
    cases.add(
        new Case(
            "wrapped in a reply",
            "> " + wrapped(rsa, 70).replace("\n", "\n> "),
            RSA,
            Form.ONE_LINE,
            WRAPPED,
            REPLY_MARKS));
    cases.add(new Case("type word alone", "ssh-ed25519\n" + BODY, ED, Form.ONE_LINE, WRAPPED));
    cases.add(
        new Case(
            "blank inside",
            LINE.replace(BODY, BODY.substring(0, 30) + " " + BODY.substring(30)),
            ED,
            Form.ONE_LINE,
            BLANK_INSIDE));
    String plus = withPlus("+");
    cases.add(
        new Case(
            "plus lost in a form",
            plus.replace('+', ' '),
            OneLine.read(plus).orRefuse().key(),
            Form.ONE_LINE,
            PLUS_LOST));
    String doubled = withPlus("++");
    cases.add(
        new Case(
            "two plus signs lost, and a comment behind",
            doubled.replace('+', ' ') + " crane 4",
            OneLine.read(doubled).orRefuse().key(),
            Form.ONE_LINE,
            PLUS_LOST));
    cases.add(new Case("fence", "```\n" + LINE + "\n```\n", ED, Form.ONE_LINE, FENCE));
    cases.add(new Case("quotes", "“" + LINE + "”", ED, Form.ONE_LINE, QUOTES));
    cases.add(new Case("list", "- '" + LINE + "',", ED, Form.ONE_LINE, LIST_MARK, QUOTES));
    cases.add(
        new Case(
            "zero-width space",
            LINE.replace(BODY, BODY.substring(0, 9) + "\u200b" + BODY.substring(9)),
            ED,
            Form.ONE_LINE,
            INVISIBLE));
    cases.add(
        new Case("no-break space", LINE.replace(" AAAA", "\u00a0AAAA"), ED, Form.ONE_LINE, BLANKS));
    cases.add(new Case("body alone", BODY, ED, Form.BARE_BASE64, TYPE_WORD));
    cases.add(new Case("RFC 4716", ExchangeFile.write(RSA, "a \"quoted\" one"), RSA, Form.RFC4716));
    cases.add(
        new Case(
            "RFC 4716, headers that go on",
            ExchangeFile.BEGIN
                + "\nSubject: crane\nX-note: one \\\ntwo \\\nthree\n"
                + "Comment: \"long \\\ncomment\"\n"
                + BODY
                + "\n"
                + ExchangeFile.END,
            ED,
            Form.RFC4716));
    cases.add(new Case("SPKI", spki, RSA, Form.SPKI_PEM));
    cases.add(new Case("SPKI on one line", flat, RSA, Form.SPKI_PEM, ARMOUR_FLATTENED, BLANKS));
    cases.add(
        new Case(
            "SPKI with escaped line ends",
            spki.strip().replace("\n", "\\n"),
            RSA,
            Form.SPKI_PEM,
            ARMOUR_FLATTENED));
    cases.add(
        new Case(
            "wrong label",
            Pem.write("RSA PUBLIC KEY", DerKeys.writeSpki(RSA)),
            RSA,
            Form.SPKI_PEM,
            ARMOUR_LABEL));
    cases.add(
        new Case(
            "PKCS#1", Pem.write("RSA PUBLIC KEY", DerKeys.writePkcs1(RSA)), RSA, Form.PKCS1_PEM));
    cases.add(
        new Case(
            "SPKI body",
            Base64.getEncoder().encodeToString(DerKeys.writeSpki(ED)),
            ED,
            Form.BARE_BASE64));
    cases.add(
        new Case(
            "SPKI body, wrapped",
            wrapped(Base64.getEncoder().encodeToString(DerKeys.writeSpki(RSA)), 64),
            RSA,
            Form.BARE_BASE64,
            WRAPPED));
    cases.add(new Case("SPKI, DER", DerKeys.writeSpki(ED), ED, Form.SPKI_DER, Set.of()));
    cases.add(new Case("SPKI, DER, RSA", DerKeys.writeSpki(RSA), RSA, Form.SPKI_DER, Set.of()));
    cases.add(new Case("JWK", Jwk.write(RSA, "fuel"), RSA, Form.JWK));
    cases.add(new Case("JWK over lines", Jwk.write(ED, "").replace(",", ",\n  "), ED, Form.JWK));
    cases.add(
        new Case(
            "options",
            "restrict,command=\"echo \\\"a, b\\\"\",from=\"10.0.0.0/8,!10.1.*\" " + LINE,
            ED,
            Form.AUTHORIZED_KEYS));
    return cases.stream()
        .map(
            c ->
                DynamicTest.dynamicTest(
                    c.name(),
                    () -> {
                      List<Item> items = Intake.read(c.text());
                      assertThat(items).hasSize(1);
                      assertThat(items.get(0).outcome()).isInstanceOf(Outcome.Key.class);
                      assertThat(((Outcome.Key) items.get(0).outcome()).key()).isEqualTo(c.key());
                      assertThat(items.get(0).form()).contains(c.form());
                      assertThat(items.get(0).corrections()).isEqualTo(c.corrections());
                    }));
  }

  private static Case wide(String name, java.nio.charset.Charset charset) {
    return new Case(name, LINE.getBytes(charset), ED, Form.ONE_LINE, Set.of(UTF_16));
  }

  /**
   * A plus at the very end is beyond correction: nothing tells it from the blank before a comment.
   */
  private static String withPlus(String signs) throws Exception {
    String line;
    do {
      line = Samples.line(KeyType.RSA);
    } while (!line.contains(signs) || line.endsWith("+"));
    return line;
  }

  private static String wrapped(String line, int width) {
    return line.replaceAll("(.{" + width + "})", "$1\n");
  }

  @TestFactory
  Stream<DynamicTest> whatIsNoKeyIsRefusedWithItsReason() throws Exception {
    record Refused(String name, String text, Reason reason) {}
    String spki = Pem.write("PUBLIC KEY", DerKeys.writeSpki(ED));
    String jwk = Jwk.write(RSA, "");
    return Stream.of(
            new Refused("nothing", " \n# only a comment\n", Reason.EMPTY),
            new Refused("prose", "Here is my key:", Reason.NO_KEY),
            new Refused("a fingerprint", ED.fingerprintText(), Reason.NO_KEY),
            new Refused("an MD5 fingerprint", ED.md5(), Reason.NO_KEY),
            new Refused("unknown option", "sources=\"a\" " + LINE, Reason.BAD_OPTION),
            new Refused("option twice", "from=\"a\",from=\"b\" " + LINE, Reason.BAD_OPTION),
            new Refused("no such date", "expiry-time=\"20260230\" " + LINE, Reason.BAD_OPTION),
            new Refused("quote not closed", "command=\"x " + LINE, Reason.NO_KEY),
            new Refused("armour not closed", spki.replace("-----END", "x"), Reason.CUT_SHORT),
            new Refused(
                "a request", spki.replace("PUBLIC KEY", "CERTIFICATE REQUEST"), Reason.OTHER_FORM),
            new Refused(
                "X25519",
                Pem.write(
                    "PUBLIC KEY",
                    java.security.KeyPairGenerator.getInstance("X25519")
                        .generateKeyPair()
                        .getPublic()
                        .getEncoded()),
                Reason.UNKNOWN_TYPE),
            new Refused(
                "JWK, secret", "{\"kty\":\"oct\",\"\\u006b\":\"c2VjcmV0\"}", Reason.PRIVATE_KEY),
            new Refused("JWK, padded", jwk.replace("AQAB", "AQAB="), Reason.OTHER_SPELLING),
            new Refused("JWK, leading zero", jwk.replace("AQAB", "AAEAAQ"), Reason.OTHER_SPELLING),
            new Refused(
                "JWK, member twice", jwk.replace("{", "{\"kty\":\"EC\","), Reason.OTHER_FORM),
            new Refused("JSON, cut", jwk.substring(0, 40), Reason.OTHER_FORM),
            new Refused("deep JSON", "[".repeat(100_000), Reason.OTHER_FORM),
            new Refused("length of 4 GiB", "ssh-ed25519 /////wAAAA==", Reason.CUT_SHORT))
        .map(
            c ->
                DynamicTest.dynamicTest(
                    c.name(),
                    () -> {
                      List<Item> items = Intake.read(c.text().getBytes(StandardCharsets.UTF_8));
                      assertThat(items).hasSize(1);
                      assertThat(items.get(0).outcome())
                          .isInstanceOfSatisfying(
                              Outcome.Refused.class,
                              r -> assertThat(r.refusal().reason()).isEqualTo(c.reason()));
                    }));
  }

  @Test
  void twoPossibleReadingsAreAQuestion() {
    for (String text :
        List.of(
            "alice " + LINE,
            "sftp.skerrymoor.example,10.0.0.4 " + LINE,
            LINE + " " + RSA.line("second"),
            Base64.getEncoder().encodeToString(Samples.point()))) {
      assertThat(Intake.read(text.getBytes()).get(0).outcome())
          .isInstanceOfSatisfying(
              Outcome.Question.class, q -> assertThat(q.choices()).hasSizeGreaterThan(1));
    }
  }

  @Test
  void eachLineOfManyIsJudgedByItself() {
    StringBuilder text = new StringBuilder("# keys of the harbour\n");
    for (int i = 0; i < 1000; i++) {
      text.append(i % 10 == 3 ? "ssh-ed25519 AAAA no" : i % 10 == 5 ? "hello\nworld" : LINE + i);
      text.append('\n');
    }
    List<Item> items = Intake.read(text.toString().getBytes());
    assertThat(items).hasSize(1000);
    assertThat(items).filteredOn(i -> i.outcome() instanceof Outcome.Key).hasSize(800);
    assertThat(items.get(5).lines()).isEqualTo(2);
    assertThat(items.get(6).line()).isEqualTo(9);
  }

  /** A line of 30 MB and 40,000 keys go through in a few megabytes. */
  @Test
  void memoryIsBoundedWhateverComes() throws IOException {
    byte[] line = (LINE + "\n").getBytes();
    AtomicLong left = new AtomicLong(30_000_000 + 40_000L * line.length);
    InputStream endless =
        new InputStream() {
          @Override
          public int read() {
            long at = left.getAndDecrement();
            long inKeys = 40_000L * line.length;
            return at <= 0 ? -1 : at <= inKeys ? line[(int) ((inKeys - at) % line.length)] : 'A';
          }
        };
    long[] counts = new long[2];
    Intake.read(endless, item -> counts[item.outcome() instanceof Outcome.Key ? 0 : 1]++);
    assertThat(counts[0]).isBetween(39_998L, 40_000L);
    assertThat(counts[1]).isEqualTo(1);
  }

  @Property(tries = 3000)
  void anyBytesGiveItems(@ForAll byte[] bytes) {
    assertThat(Intake.read(bytes)).isNotNull();
  }
}
