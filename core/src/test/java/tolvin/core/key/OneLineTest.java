package tolvin.core.key;

import static org.assertj.core.api.Assertions.assertThat;
import static org.junit.jupiter.params.provider.Arguments.arguments;

import java.math.BigInteger;
import java.nio.charset.StandardCharsets;
import java.util.Arrays;
import java.util.Base64;
import java.util.stream.Stream;
import net.jqwik.api.ForAll;
import net.jqwik.api.Property;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.Arguments;
import org.junit.jupiter.params.provider.EnumSource;
import org.junit.jupiter.params.provider.MethodSource;
import tolvin.core.key.Refusal.Reason;

class OneLineTest {

  @ParameterizedTest
  @EnumSource(KeyType.class)
  void everyTypeIsReadAndWrittenBackInItsOneSpelling(KeyType type) throws Exception {
    String line = Samples.line(type);
    Reading.Key read = OneLine.read(line + "  harbour crane 4 \n").orRefuse();
    assertThat(read.key().type()).isEqualTo(type);
    assertThat(read.key().line()).isEqualTo(line);
    assertThat(read.comment()).isEqualTo("harbour crane 4");
    assertThat(read.key().application().isPresent()).isEqualTo(type.hardware());
  }

  /** RFC 8032 section 7.1, test 1: the public key, wrapped as RFC 8709 says. */
  @Test
  void publishedVectorHasTheFingerprintThatOpenSshGivesIt() throws Exception {
    String line =
        "ssh-ed25519 AAAAC3NzaC1lZDI1NTE5AAAAINdamAGCsQq31Uv+08lkBzoO4XLz2qYjJa8CGmj3B1Ea";
    PublicKey key = OneLine.read(line).orRefuse().key();
    assertThat(key.fingerprint().value())
        .isEqualTo("SHA256:" + sha256Base64(Base64.getDecoder().decode(line.split(" ")[1])));
    assertThat(key.md5()).matches("MD5:([0-9a-f]{2}:){15}[0-9a-f]{2}");
    assertThat(key.bits()).isEqualTo(256);
  }

  static Stream<Arguments> refused() throws Exception {
    String good = Samples.line(KeyType.ED25519);
    String body = good.split(" ")[1];
    byte[] blob = Samples.blob(KeyType.ED25519);
    byte[] ecPoint = Samples.ecPoint("secp256r1");
    byte[] offCurve = ecPoint.clone();
    offCurve[64] ^= 1;
    byte[] beyondPrime = new byte[32];
    Arrays.fill(beyondPrime, (byte) 0xff);
    beyondPrime[31] = 0x7f;
    byte[] noPoint = new byte[32];
    noPoint[0] = 2;
    byte[] signedZero = new byte[32];
    signedZero[0] = 1;
    signedZero[31] = (byte) 0x80;
    BigInteger modulus = new BigInteger(2048, 5, Samples.RANDOM).setBit(2047).setBit(0);
    BigInteger e = BigInteger.valueOf(65537);
    return Stream.of(
        arguments("nothing", "", Reason.EMPTY),
        arguments("only blanks and comments", " \n# keys\n", Reason.EMPTY),
        arguments("cut short", good.substring(0, good.length() - 9), Reason.CUT_SHORT),
        arguments("cut by whole groups", good.substring(0, good.length() - 8), Reason.CUT_SHORT),
        arguments("equal halves that are no keys", "ssh-ed25519 AAAA", Reason.CUT_SHORT),
        arguments("doubled body", "ssh-ed25519 " + body + body, Reason.DOUBLED),
        arguments("wrapped", good.substring(0, 50) + "\n" + good.substring(50), Reason.WRAPPED),
        arguments("blank inside", good.substring(0, 50) + " " + good.substring(50), Reason.WRAPPED),
        arguments("two keys", good + "\n" + good, Reason.SEVERAL_KEYS),
        arguments(
            "bad character", good.substring(0, 40) + "!" + good.substring(41), Reason.BAD_BASE64),
        arguments(
            "type of another", good.replace("ssh-ed25519 ", "ssh-rsa "), Reason.TYPE_MISMATCH),
        arguments("type unknown", "ssh-foo " + body, Reason.UNKNOWN_TYPE),
        arguments("no type", body, Reason.OTHER_FORM),
        arguments("options", "no-pty " + good, Reason.OTHER_FORM),
        arguments("type alone", "ssh-ed25519", Reason.CUT_SHORT),
        arguments("exchange form", "---- BEGIN SSH2 PUBLIC KEY ----\n" + body, Reason.OTHER_FORM),
        arguments("PEM", "-----BEGIN PUBLIC KEY-----\n" + body, Reason.OTHER_FORM),
        arguments("certificate", "ssh-ed25519-cert-v01@openssh.com " + body, Reason.CERTIFICATE),
        arguments("left over", Samples.line(append(blob, 0), "ssh-ed25519"), Reason.LEFT_OVER),
        arguments("beyond the prime", ed25519(beyondPrime), Reason.OTHER_SPELLING),
        arguments("no such point", ed25519(noPoint), Reason.NOT_ON_CURVE),
        arguments("sign on zero", ed25519(signedZero), Reason.NOT_ON_CURVE),
        arguments("order four", ed25519(new byte[32]), Reason.LOW_ORDER),
        arguments(
            "order eight", // the published little-endian spelling of such a point
            ed25519(
                java.util.HexFormat.of()
                    .parseHex("26e8958fc2b227b045c3f489f2ef98f0d5dfac05d3c63339b13802886d53fc05")),
            Reason.LOW_ORDER),
        arguments("31 bytes", ed25519(new byte[31]), Reason.CUT_SHORT),
        arguments("off the curve", ecdsa(offCurve), Reason.NOT_ON_CURVE),
        arguments("compressed", ecdsa(compressed(ecPoint)), Reason.OTHER_SPELLING),
        arguments(
            "needless zero",
            rsaLine(
                new WireOut()
                    .string("ssh-rsa")
                    .string(new byte[] {0, 3})
                    .integer(modulus)
                    .toBytes()),
            Reason.OTHER_SPELLING),
        arguments(
            "negative",
            rsaLine(new WireOut().string("ssh-rsa").integer(e.negate()).integer(modulus).toBytes()),
            Reason.IMPLAUSIBLE_NUMBERS),
        arguments(
            "even exponent",
            rsaLine(Samples.rsa(BigInteger.valueOf(65536), modulus)),
            Reason.IMPLAUSIBLE_NUMBERS),
        arguments(
            "small modulus",
            rsaLine(Samples.rsa(e, modulus.shiftRight(1040))),
            Reason.IMPLAUSIBLE_NUMBERS),
        arguments(
            "small factor",
            rsaLine(
                Samples.rsa(
                    e,
                    modulus
                        .shiftRight(16)
                        .multiply(BigInteger.valueOf(137))
                        .setBit(0)
                        .subtract(
                            modulus
                                .shiftRight(16)
                                .multiply(BigInteger.valueOf(137))
                                .setBit(0)
                                .mod(BigInteger.valueOf(3))))),
            Reason.IMPLAUSIBLE_NUMBERS));
  }

  @ParameterizedTest(name = "{0}")
  @MethodSource("refused")
  void whatIsNoKeyIsRefusedWithItsOwnReason(String what, String text, Reason reason) {
    assertThat(OneLine.read(text))
        .isInstanceOfSatisfying(
            Reading.Refused.class,
            refused -> {
              assertThat(refused.refusal().reason()).as(what).isEqualTo(reason);
              assertThat(refused.refusal().sentence()).endsWith(".");
              assertThat(refused.refusal().remedy()).isNotBlank();
            });
  }

  @Test
  void aBadCharacterIsPointedAt() throws Exception {
    String good = Samples.line(KeyType.ED25519);
    String bad = good.substring(0, 40) + "ü" + good.substring(41);
    Refusal refusal = ((Reading.Refused) OneLine.read(bad)).refusal();
    assertThat(refusal.position()).isEqualTo(40);
    assertThat(refusal.sentence()).contains("Character 29 ");
  }

  @Test
  void commentsCannotCarryControlCharacters() throws Exception {
    Reading.Key read =
        OneLine.read(Samples.line(KeyType.ED25519) + " a\u001b[2Jb\u202e").orRefuse();
    assertThat(read.comment()).isEqualTo("a\ufffd[2Jb\ufffd");
  }

  /** Any bytes give a key or a reason, and no bit of a key can be changed without notice. */
  @Property(tries = 3000)
  void readingIsTotal(@ForAll byte[] noise) {
    assertThat(OneLine.read(noise)).isNotNull();
    byte[] withType =
        ("ssh-rsa " + Base64.getEncoder().encodeToString(noise)).getBytes(StandardCharsets.UTF_8);
    assertThat(OneLine.read(withType)).isInstanceOf(Reading.Refused.class);
  }

  @Property(tries = 2000)
  void mutatedKeysAreKeysOrReasons(@ForAll long seed) throws Exception {
    var random = new java.util.Random(seed);
    KeyType type = KeyType.values()[random.nextInt(KeyType.values().length)];
    byte[] text = SAMPLE_LINES[type.ordinal()].clone();
    for (int i = random.nextInt(3); i >= 0; i--) {
      text[random.nextInt(text.length)] = (byte) random.nextInt();
    }
    if (OneLine.read(text) instanceof Reading.Key key) {
      assertThat(OneLine.read(key.key().line()).orRefuse().key()).isEqualTo(key.key());
    }
  }

  @Test
  void jacobiAgreesWithTheLegendreSymbolByExponentiation() {
    BigInteger p = BigInteger.ONE.shiftLeft(255).subtract(BigInteger.valueOf(19));
    BigInteger half = p.subtract(BigInteger.ONE).shiftRight(1);
    for (int i = 0; i < 300; i++) {
      BigInteger a = new BigInteger(254, Samples.RANDOM).shiftRight(i % 250);
      BigInteger power = a.modPow(half, p);
      int expected = power.signum() == 0 ? 0 : power.equals(BigInteger.ONE) ? 1 : -1;
      assertThat(Jacobi.symbol(a, p)).as("%s", a).isEqualTo(expected);
    }
  }

  private static final byte[][] SAMPLE_LINES = sampleLines();

  private static byte[][] sampleLines() {
    return Arrays.stream(KeyType.values())
        .map(
            type -> {
              try {
                return (Samples.line(type) + " x").getBytes(StandardCharsets.UTF_8);
              } catch (Exception e) {
                throw new IllegalStateException(e);
              }
            })
        .toArray(byte[][]::new);
  }

  private static String ed25519(byte[] point) {
    return Samples.line(new WireOut().string("ssh-ed25519").string(point).toBytes(), "ssh-ed25519");
  }

  private static String ecdsa(byte[] point) {
    String word = KeyType.ECDSA_P256.word();
    return Samples.line(
        new WireOut().string(word).string("nistp256").string(point).toBytes(), word);
  }

  private static String rsaLine(byte[] blob) {
    return Samples.line(blob, "ssh-rsa");
  }

  private static byte[] compressed(byte[] point) {
    byte[] result = Arrays.copyOf(point, 33);
    result[0] = (byte) (2 + (point[64] & 1));
    return result;
  }

  private static byte[] append(byte[] bytes, int value) {
    byte[] result = Arrays.copyOf(bytes, bytes.length + 1);
    result[bytes.length] = (byte) value;
    return result;
  }

  private static String sha256Base64(byte[] bytes) throws Exception {
    return Base64.getEncoder()
        .withoutPadding()
        .encodeToString(java.security.MessageDigest.getInstance("SHA-256").digest(bytes));
  }
}
