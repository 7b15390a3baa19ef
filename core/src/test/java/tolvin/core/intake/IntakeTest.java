package tolvin.core.intake;

import static org.assertj.core.api.Assertions.assertThat;
import static tolvin.core.intake.Correction.ARMOUR_FLATTENED;
import static tolvin.core.intake.Correction.ARMOUR_LABEL;
import static tolvin.core.intake.Correction.BLANKS;
import static tolvin.core.intake.Correction.BLANK_INSIDE;
import static tolvin.core.intake.Correction.BYTE_ORDER_MARK;
import static tolvin.core.intake.Correction.COMMENT_JOINED;
import static tolvin.core.intake.Correction.COMMENT_SHOWN;
import static tolvin.core.intake.Correction.CONTINUED;
import static tolvin.core.intake.Correction.FENCE;
import static tolvin.core.intake.Correction.INVISIBLE;
import static tolvin.core.intake.Correction.LINE_ENDS;
import static tolvin.core.intake.Correction.LIST_MARK;
import static tolvin.core.intake.Correction.MARKUP;
import static tolvin.core.intake.Correction.OTHER_TYPE_WORD;
import static tolvin.core.intake.Correction.PADDING;
import static tolvin.core.intake.Correction.PLUS_LOST;
import static tolvin.core.intake.Correction.QUOTED_PRINTABLE;
import static tolvin.core.intake.Correction.QUOTES;
import static tolvin.core.intake.Correction.REPLY_MARKS;
import static tolvin.core.intake.Correction.TYPE_WORD;
import static tolvin.core.intake.Correction.URL_ALPHABET;
import static tolvin.core.intake.Correction.UTF_16;
import static tolvin.core.intake.Correction.WRAPPED;

import java.io.IOException;
import java.io.InputStream;
import java.lang.management.ManagementFactory;
import java.lang.management.ThreadMXBean;
import java.nio.charset.StandardCharsets;
import java.time.Instant;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.Base64;
import java.util.List;
import java.util.Set;
import java.util.concurrent.atomic.AtomicLong;
import java.util.function.UnaryOperator;
import java.util.stream.Stream;
import net.jqwik.api.Arbitraries;
import net.jqwik.api.Arbitrary;
import net.jqwik.api.ForAll;
import net.jqwik.api.Property;
import net.jqwik.api.Provide;
import net.jqwik.api.constraints.IntRange;
import net.jqwik.api.constraints.Size;
import org.junit.jupiter.api.DynamicTest;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.TestFactory;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.ValueSource;
import tolvin.core.form.DerKeys;
import tolvin.core.form.ExchangeFile;
import tolvin.core.form.Form;
import tolvin.core.form.Jwk;
import tolvin.core.form.Pem;
import tolvin.core.give.RevocationList;
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

  /** Lines of keys to be spoiled. */
  private static final List<String> MANY =
      Stream.of(KeyType.RSA, KeyType.ED25519, KeyType.ECDSA_P521, KeyType.SK_ED25519)
          .flatMap(type -> Stream.generate(() -> key(type).line("crane@quay")).limit(8))
          .toList();

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
    String ends = withEnds("==");
    PublicKey padded = OneLine.read(ends).orRefuse().key();
    cases.add(new Case("padding lost", ends.replace("=", ""), padded, Form.ONE_LINE, PADDING));
    cases.add(
        new Case(
            "padding lost, with options and a comment",
            "no-pty " + ends.replace("=", "") + " crane 4",
            padded,
            Form.AUTHORIZED_KEYS,
            PADDING));
    cases.add(
        new Case(
            "as addresses are written",
            doubled.replace('+', '-').replace('/', '_').replace("ssh_", "ssh-"),
            OneLine.read(doubled).orRefuse().key(),
            Form.ONE_LINE,
            URL_ALPHABET));
    cases.add(
        new Case("capitals", "SSH-ED25519 " + BODY + " x", ED, Form.ONE_LINE, OTHER_TYPE_WORD));
    cases.add(
        new Case(
            "a signature's name",
            rsa.replace("ssh-rsa", "rsa-sha2-512"),
            RSA,
            Form.ONE_LINE,
            OTHER_TYPE_WORD));
    cases.add(
        new Case(
            "backslashes", rsa.replaceAll("(.{60})", "$1\\\\\n"), RSA, Form.ONE_LINE, CONTINUED));
    cases.add(
        new Case(
            "quoted-printable",
            quotedPrintable(ends + " crane@quay"),
            padded,
            Form.ONE_LINE,
            QUOTED_PRINTABLE));
    cases.add(new Case("HTML", "<p><code>" + LINE + "</code></p>", ED, Form.ONE_LINE, MARKUP));
    cases.add(
        new Case(
            "HTML around, with references",
            "<pre>\n" + doubled.replace("+", "&#43;").replace("/", "&#x2F;") + "\n</pre>",
            OneLine.read(doubled).orRefuse().key(),
            Form.ONE_LINE,
            MARKUP));
    cases.add(new Case("emphasis", "**`" + LINE + "`**", ED, Form.ONE_LINE, MARKUP, QUOTES));
    cases.add(
        new Case("a table's cell", "| crane | `" + LINE + "` | ok |", ED, Form.ONE_LINE, MARKUP));
    cases.add(
        new Case(
            "RFC 4716 on one line",
            ExchangeFile.write(RSA, "a quoted one").strip().replace("\n", " "),
            RSA,
            Form.RFC4716,
            ARMOUR_FLATTENED));
    cases.add(
        new Case(
            "RFC 4716 on one line, two headers",
            ExchangeFile.BEGIN + " Subject: me Comment: crane 4 " + BODY + " " + ExchangeFile.END,
            ED,
            Form.RFC4716,
            ARMOUR_FLATTENED));
    cases.add(
        new Case(
            "a comment across the wrap",
            acrossTheWrap(RSA),
            RSA,
            Form.ONE_LINE,
            WRAPPED,
            COMMENT_JOINED));
    cases.add(new Case("a bell in the comment", LINE + "\u0007", ED, Form.ONE_LINE, COMMENT_SHOWN));
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
                      assertThat(items).as(c.name()).hasSize(1);
                      assertThat(items.get(0).outcome())
                          .as(c.name())
                          .isInstanceOf(Outcome.Key.class);
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

  private static String withEnds(String end) throws Exception {
    String line;
    do {
      line = Samples.line(KeyType.ECDSA_P521);
    } while (!line.split(" ")[1].endsWith(end));
    return line;
  }

  private static String quotedPrintable(String text) {
    return text.replace("=", "=3D").replace("@", "=40").replaceAll("(.{70})", "$1=\n");
  }

  /** Wrapped so that the last full row holds the beginning of the comment. */
  private static String acrossTheWrap(PublicKey key) {
    String line = key.line();
    int width = 70;
    String comment = "c".repeat(width - line.length() % width - 1) + "rest";
    return wrapped(line + " " + comment, width);
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
            new Refused(
                "known_hosts, hashed",
                "|1|kjVDqBvm0gYmLuQtZ0yZkWjAwTk=|vJ4ChtmHRGjvBnMnqpeqpc2Oeio= " + LINE,
                Reason.OTHER_FORM),
            new Refused("known_hosts, port", "[sftp.example]:2222 " + LINE, Reason.OTHER_FORM),
            new Refused("known_hosts, marker", "@revoked * " + LINE, Reason.OTHER_FORM),
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

  /** Each with what it is; none is “no key”. */
  @TestFactory
  Stream<DynamicTest> keysOfOtherTypesAreNamed() {
    record Other(String text, String words) {}
    String number = "7".repeat(300);
    return Stream.of(
            new Other("ssh-dss " + typed("ssh-dss") + " old", "DSA key"),
            new Other("no-pty ssh-dss " + typed("ssh-dss"), "DSA key"),
            new Other(typed("ssh-dss"), "DSA key"),
            new Other("ssh-dss-cert-v01@openssh.com " + typed("x"), "certificate of a DSA key"),
            new Other("ssh-ed448 " + typed("ssh-ed448"), "Ed448"),
            new Other("ssh-xmss@openssh.com " + typed("ssh-xmss@openssh.com"), "XMSS"),
            new Other("x509v3-ssh-rsa " + typed("x509v3-ssh-rsa"), "X.509 certificate in SSH"),
            new Other("pgp-sign-rsa " + typed("pgp-sign-rsa"), "OpenPGP key in SSH"),
            new Other("1024 35 " + number + " me@old", "SSH's first protocol"),
            new Other("2048 65537 " + number, "SSH's first protocol"),
            new Other("ssh-new@crane.example " + typed("ssh-new@crane.example"), "ssh-new@crane"),
            new Other(
                ExchangeFile.BEGIN + "\n" + typed("ssh-dss") + "\n" + ExchangeFile.END, "DSA key"),
            new Other(
                "-----BEGIN PGP PUBLIC KEY BLOCK-----\n\nmDMEXwAA\n=abcd\n"
                    + "-----END PGP PUBLIC KEY BLOCK-----",
                "OpenPGP key"))
        .map(
            c ->
                DynamicTest.dynamicTest(
                    c.words() + ": " + c.text().split(" ")[0],
                    () -> {
                      List<Item> items = Intake.read(("Hello,\n\n" + c.text()).getBytes());
                      assertThat(items).hasSize(2);
                      assertThat(items.get(1).outcome())
                          .isInstanceOfSatisfying(
                              Outcome.Refused.class,
                              r -> {
                                assertThat(r.refusal().reason()).isEqualTo(Reason.UNKNOWN_TYPE);
                                assertThat(r.refusal().sentence()).contains(c.words());
                              });
                    }));
  }

  /** Files that are no text: what they are is said, whatever their bytes look like. */
  @TestFactory
  Stream<DynamicTest> binaryFilesAreNamed() {
    record Binary(byte[] content, String words) {}
    byte[] list = new RevocationList(7, Instant.EPOCH, "x", Set.of(ED), Set.of()).toBytes();
    byte[] old = {(byte) 0x99, 1, 13, 4, 0x5f, 0, 0, 0, 1};
    byte[] small = {(byte) 0x98, 51, 4, 0x5f, 0, 0, 0, 22, 9};
    byte[] present = {(byte) 0xc6, 51, 6, 0x5f, 0, 0, 0, 27, 9};
    return Stream.of(
            new Binary(list, "list of revoked keys"),
            new Binary(old, "OpenPGP key"),
            new Binary(small, "OpenPGP key"),
            new Binary(present, "OpenPGP key"))
        .map(
            c ->
                DynamicTest.dynamicTest(
                    c.words(),
                    () ->
                        assertThat(Intake.read(c.content()))
                            .singleElement()
                            .satisfies(
                                item ->
                                    assertThat(item.outcome().toString()).contains(c.words()))));
  }

  /** A body of this type, as far as anybody looks. */
  private static String typed(String word) {
    byte[] body = new byte[4 + word.length() + 42];
    body[3] = (byte) word.length();
    System.arraycopy(word.getBytes(), 0, body, 4, word.length());
    return Base64.getEncoder().encodeToString(Arrays.copyOf(body, body.length / 3 * 3));
  }

  /** What happens to a text on its way. */
  private static final List<UnaryOperator<String>> MISHAPS =
      List.of(
          t -> wrapped(t, 64),
          t -> wrapped(t, 76),
          t -> "> " + t.replace("\n", "\n> "),
          t -> "<p>" + t.replace("+", "&#43;") + "</p>",
          t -> t.replace("=", ""),
          t -> t.replace('+', '-').replace('/', '_'),
          t -> t.replace('+', ' '),
          t -> t.replace("\n", "\r\n"),
          t -> t.replaceAll("(.{70})", "$1\\\\\n"),
          t -> quotedPrintable(t),
          t -> t.replaceFirst("^\\S+", "SSH-RSA"),
          t -> t.replaceFirst("^\\S+ ", ""),
          t -> "- `" + t + "`,",
          t -> "**" + t + "**",
          t -> t.substring(0, t.length() * 9 / 10),
          t -> t.replaceFirst("AAAA(.{20})", "AAAA$1 "),
          t -> t.replaceFirst("(.{90}).", "$1A"),
          t -> t + t);

  /** A key comes out of it as it was, or not at all. */
  @Property(tries = 1000)
  void mishapsMakeNoOtherKey(
      @ForAll("lines") String line,
      @ForAll @Size(min = 1, max = 3) List<@IntRange(max = 17) Integer> mishaps) {
    String text = line;
    for (int mishap : mishaps) {
      text = MISHAPS.get(mishap).apply(text);
    }
    for (Item item : Intake.read(text.getBytes(StandardCharsets.UTF_8))) {
      if (item.outcome() instanceof Outcome.Key key && !mishaps.contains(16)) {
        assertThat(key.key().line()).as(text).isEqualTo(line.substring(0, line.lastIndexOf(' ')));
      }
    }
  }

  @Provide
  Arbitrary<String> lines() {
    return Arbitraries.of(MANY);
  }

  /** On one line and on many: whatever is repeated, the time grows with its length alone. */
  @ParameterizedTest
  @ValueSource(
      strings = {
        "**",
        "<a ",
        "&#43;",
        "| AAAA ",
        "AAAA ",
        "=3D",
        "A ",
        "ssh-rsa A ",
        "1024 35 ",
        "a,",
        "`",
        "|`",
        "\"",
        "=",
        "---- BEGIN SSH2 PUBLIC KEY ---- AAAA "
      })
  void twiceAsMuchTakesTwiceAsLong(String unit) {
    for (String separator : List.of("", "\n", "=\n", "\\\n")) {
      int size = separator.isEmpty() ? 15_000 : 30_000;
      String piece = separator.isEmpty() ? unit : unit.repeat(20) + separator;
      byte[] once = ("ssh-rsa AAAA" + piece.repeat(size / piece.length())).getBytes();
      byte[] twice = ("ssh-rsa AAAA" + piece.repeat(2 * size / piece.length())).getBytes();
      cpu(twice); // compiled by then
      double growth = Double.MAX_VALUE;
      for (int i = 0; i < 40 && growth > 3; i++) { // others may be at work beside
        growth = Math.min(growth, (double) cpu(twice) / Math.max(cpu(once), 20_000_000));
      }
      assertThat(growth).as(unit + separator).isLessThan(3);
    }
  }

  private static long cpu(byte[] bytes) {
    ThreadMXBean threads = ManagementFactory.getThreadMXBean();
    long begun = threads.getCurrentThreadCpuTime();
    assertThat(Intake.read(bytes)).isNotEmpty();
    return threads.getCurrentThreadCpuTime() - begun;
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

  /** A line of 30 MB and 10,000 keys go through in a few megabytes. */
  @Test
  void memoryIsBoundedWhateverComes() throws IOException {
    byte[] line = (LINE + "\n").getBytes();
    AtomicLong left = new AtomicLong(30_000_000 + 10_000L * line.length);
    InputStream endless =
        new InputStream() {
          @Override
          public int read() {
            long at = left.getAndDecrement();
            long inKeys = 10_000L * line.length;
            return at <= 0 ? -1 : at <= inKeys ? line[(int) ((inKeys - at) % line.length)] : 'A';
          }
        };
    long[] counts = new long[2];
    Intake.read(endless, item -> counts[item.outcome() instanceof Outcome.Key ? 0 : 1]++);
    assertThat(counts[0]).isBetween(9_998L, 10_000L);
    assertThat(counts[1]).isEqualTo(1);
  }

  @Property(tries = 1000)
  void anyBytesGiveItems(@ForAll byte[] bytes) {
    assertThat(Intake.read(bytes)).isNotNull();
  }
}
