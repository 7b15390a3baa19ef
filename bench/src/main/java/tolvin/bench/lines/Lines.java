package tolvin.bench.lines;

import java.io.ByteArrayOutputStream;
import java.math.BigInteger;
import java.nio.ByteBuffer;
import java.nio.charset.StandardCharsets;
import java.security.GeneralSecurityException;
import java.security.KeyPairGenerator;
import java.security.SecureRandom;
import java.security.interfaces.ECPublicKey;
import java.util.Arrays;
import java.util.Base64;
import java.util.List;
import java.util.Random;
import java.util.function.Supplier;
import tolvin.core.key.KeyType;
import tolvin.core.key.PublicBlob;
import tolvin.core.key.PublicKey;
import tolvin.core.key.RefusedException;
import tolvin.core.pair.KeyPairMaker;
import tolvin.core.server.ServerKind;

/**
 * Makes lines of {@code authorized_keys} by a grammar of what is right and what is nearly right,
 * with damage on top. The same seed makes the same lines, keys aside.
 */
final class Lines {
  private static final String[] NASTY = {
    " ",
    "\t",
    "\r",
    "\u000b",
    "\f",
    "\0",
    "\"",
    "\\",
    "=",
    ",",
    "!",
    ":",
    "[",
    "]",
    "#",
    "\u00ff",
    "\u00c3\u00bc",
    "A",
    "0",
    "-",
    "\\\"",
    ",,",
    "no-",
    "/"
  };
  private static final String[] FLAGS = {
    "restrict",
    "cert-authority",
    "port-forwarding",
    "agent-forwarding",
    "x11-forwarding",
    "touch-required",
    "verify-required",
    "pty",
    "user-rc",
    "no-port-forwarding",
    "no-agent-forwarding",
    "no-X11-forwarding",
    "no-touch-required",
    "no-verify-required",
    "no-pty",
    "no-user-rc",
    "no-restrict",
    "no-cert-authority",
    "no-no-pty",
    "ptyx",
    "permit-pty",
    "zero-knowledge",
    "tolvin@example.com"
  };
  private static final String[] SOURCES = {
    "127.0.0.1",
    "127.0.0.0/8",
    "127.0.0.*",
    "*",
    "127.?.0.1",
    "10.0.0.0/8",
    "10.1.2.3",
    "::1",
    "::/0",
    "fe80::/10",
    "2001:db8::/32",
    "!10.0.0.1",
    "!127.0.0.1",
    "!*",
    "!127.0.0.0/8",
    "*.example",
    "LOCALHOST",
    "localhost",
    "127.0.0.1/32",
    "127.0.0.1/33",
    "127.0.0.1/8",
    "10.1.2.3/8",
    "0/0",
    "0.0.0.0/0",
    "127.1",
    "0x7f.0.0.1",
    "0177.0.0.1",
    "2130706433",
    "127.0.0.1/",
    "127.0.0.1/a",
    "127.0.0.1/129",
    "127.0.0.0/08",
    "::ffff:127.0.0.1",
    "::127.0.0.1",
    "1:2:3:4:5:6:7:8",
    "1:2:3:4:5:6:7:8:9",
    "::1/128",
    "::1/129",
    "::2/127",
    "",
    "!",
    " 127.0.0.1",
    "127.0.0.1 ",
    "127.0.0.1\t",
    "127.0.0.256",
    "127.0.0.1.1",
    "1::2::3",
    "127.0.0.1/0",
    "[::1]",
    "!!10.0.0.1",
    "127.0.0.1/32/1",
    "1.2.3.4/+8",
    ":::",
    "127.00.0.1",
    "09.1.1.1"
  };
  private static final String[] TIMES = {
    "20300101",
    "20200101",
    "203001010000",
    "20300101000000",
    "20300101Z",
    "20200101Z",
    "20300101UTC",
    "20300101utc",
    "20300101z",
    "20301301",
    "20300230",
    "20300132",
    "2030010124",
    "203001012400",
    "203001012360",
    "20300101000061",
    "20300101000062",
    "19700101Z",
    "19691231",
    "00000101",
    "2030 1 1",
    "2030-1-1",
    "2030010",
    "",
    "Z",
    "UTC",
    "never",
    "20300101 ",
    " 20300101",
    "+2030101",
    "99991231",
    "20300101000000UTC",
    "2030010100000",
    "20300001",
    "20300100"
  };
  private static final String[] PLACES = {
    "host:22",
    "*:*",
    "*:22",
    "host:0",
    "host:65535",
    "host:65536",
    "[::1]:22",
    "[::1]22",
    "[::1",
    "::1:22",
    "host",
    "22",
    "*",
    ":22",
    "host:",
    "host: 22",
    "host:+22",
    "host:-1",
    "host:022",
    "host:ssh",
    "host:nosuchservice",
    "host/22",
    "host:22:22",
    "ho st:22",
    "[]:22",
    "",
    "host:22 ",
    "[a]b:22",
    "host:0x16",
    "host:*:*",
    "65535",
    "0",
    "localhost:8080"
  };
  private static final String[] TUNNELS = {
    "0",
    "1",
    "any",
    "ANY",
    "0:1",
    "any:any",
    "-1",
    "+1",
    " 1",
    "1 ",
    "2147483645",
    "2147483646",
    "",
    "x",
    "00"
  };
  private static final String[] ENVIRONMENTS = {
    "A=b",
    "A=",
    "=b",
    "A",
    "a_1=x y",
    "A-B=c",
    "\u00c3\u00bc=x",
    "A=\\\"q\\\"",
    "LANG=C,x",
    "1=1",
    " A=b"
  };
  private static final String[] COMMANDS = {
    "true",
    "echo \\\"a, b\\\"",
    "",
    "a\\\\",
    "a\\",
    "x # y",
    "rsync --server -vlogDtprze.iLsfxC . /",
    "a b\tc"
  };

  private final ServerKind server;
  private final Random random;
  private final SecureRandom keys = new SecureRandom();

  /** Makes lines with the options of a server of this kind, and some of others. */
  Lines(long seed, ServerKind server) {
    random = new Random(seed);
    this.server = server;
  }

  /**
   * A line, and the key that stands on it in some spelling.
   *
   * @param text one character for each byte, no line feed
   */
  record Made(String text, PublicKey key) {}

  Made next() throws GeneralSecurityException, RefusedException {
    PublicKey key = key();
    StringBuilder line = new StringBuilder();
    if (chance(10)) {
      line.append(one(" ", "\t", "  ", "\r", "\u000b"));
    }
    if (chance(60)) {
      line.append(options()).append(one(" ", " ", "\t", "  ", " \t "));
    }
    boolean spelled = chance(12);
    line.append(spelled ? word(key.type()) : key.type().word());
    line.append(one(" ", " ", " ", "\t", "  "));
    line.append(Base64.getEncoder().encodeToString(spelled ? spelled(key) : key.blob()));
    if (chance(70)) {
      line.append(one(" ", "\t", "  "))
          .append(one("crane 4", "isla@quay", "# no", "\"", "\u00c3\u00bc"));
    }
    if (chance(8)) {
      line.append(one(" ", "\r", "\t", "\0", "\u000b"));
    }
    String text = line.toString();
    if (server == ServerKind.DROPBEAR && chance(4)) {
      text = hidden() + text;
    }
    for (int damage = chance(25) ? 1 + random.nextInt(2) : 0; damage > 0; damage--) {
      text = damaged(text);
    }
    return new Made(text.replace("\n", ""), key);
  }

  /** What makes Dropbear begin a new line. */
  private String hidden() {
    int length = 4200 - 1 + random.nextInt(3);
    return chance(50) ? "# nothing\r" : "# " + "x".repeat(length - 2);
  }

  private boolean chance(int percent) {
    return random.nextInt(100) < percent;
  }

  private String one(String... of) {
    return of[random.nextInt(of.length)];
  }

  private PublicKey key() throws GeneralSecurityException, RefusedException {
    int kind = random.nextInt(100);
    if (kind < 60) {
      return KeyPairMaker.ed25519(keys).key();
    }
    if (kind < 75) {
      return rsa();
    }
    KeyType type =
        kind < 85
            ? KeyType.ECDSA_P256
            : kind < 90
                ? KeyType.ECDSA_P384
                : kind < 95 ? KeyType.SK_ECDSA_P256 : KeyType.SK_ED25519;
    ByteArrayOutputStream blob = new ByteArrayOutputStream();
    string(blob, type.word().getBytes(StandardCharsets.US_ASCII));
    if (type == KeyType.SK_ED25519) {
      byte[] plain = KeyPairMaker.ed25519(keys).key().blob();
      string(blob, Arrays.copyOfRange(plain, plain.length - 32, plain.length));
    } else {
      string(blob, type.curve().getBytes(StandardCharsets.US_ASCII));
      string(blob, point(type == KeyType.ECDSA_P384 ? 384 : 256));
    }
    if (type.hardware()) {
      string(blob, "ssh:".getBytes(StandardCharsets.US_ASCII));
    }
    return PublicBlob.read(blob.toByteArray());
  }

  private static byte[] point(int bits) throws GeneralSecurityException {
    KeyPairGenerator generator = KeyPairGenerator.getInstance("EC");
    generator.initialize(bits);
    ECPublicKey key = (ECPublicKey) generator.generateKeyPair().getPublic();
    int length = bits / Byte.SIZE;
    byte[] point = new byte[1 + 2 * length];
    point[0] = 4;
    number(key.getW().getAffineX(), point, 1, length);
    number(key.getW().getAffineY(), point, 1 + length, length);
    return point;
  }

  private static void number(BigInteger value, byte[] into, int at, int length) {
    byte[] bytes = value.toByteArray();
    int from = Math.max(0, bytes.length - length);
    int count = bytes.length - from;
    System.arraycopy(bytes, from, into, at + length - count, count);
  }

  /** A number that looks like a modulus; nobody signs with it. */
  private PublicKey rsa() {
    int bits = random.nextBoolean() ? 2048 : 3072;
    while (true) {
      BigInteger modulus = new BigInteger(bits, keys).setBit(bits - 1).setBit(0);
      try {
        return PublicBlob.read(rsa("ssh-rsa", new byte[] {1, 0, 1}, modulus.toByteArray()));
      } catch (RefusedException smallFactor) {
        continue; // the next one
      }
    }
  }

  private static byte[] rsa(String word, byte[] exponent, byte[] modulus) {
    ByteArrayOutputStream blob = new ByteArrayOutputStream();
    string(blob, word.getBytes(StandardCharsets.US_ASCII));
    string(blob, exponent);
    string(blob, modulus);
    return blob.toByteArray();
  }

  private static void string(ByteArrayOutputStream blob, byte[] value) {
    blob.writeBytes(ByteBuffer.allocate(4).putInt(value.length).array());
    blob.writeBytes(value);
  }

  /** Another word for a type, right or wrong. */
  private String word(KeyType type) {
    return switch (type) {
      case RSA -> one("rsa-sha2-256", "rsa-sha2-512", "ssh-rsa", "RSA", "SSH-RSA", "ssh-dss");
      case SK_ECDSA_P256 ->
          one(type.word(), "webauthn-sk-ecdsa-sha2-nistp256@openssh.com", "ecdsa-sha2-nistp256");
      default ->
          one(type.word(), type.word().toUpperCase(), type.label(), "ssh-rsa", "ssh-ed25519x");
    };
  }

  /** The body in another spelling, right or wrong. */
  private byte[] spelled(PublicKey key) {
    byte[] blob = key.blob();
    int word = ByteBuffer.wrap(blob).getInt();
    byte[] rest = Arrays.copyOfRange(blob, 4 + word, blob.length);
    if (key.type() == KeyType.RSA && chance(50)) {
      byte[] modulus = Arrays.copyOfRange(rest, 11, rest.length);
      byte[] padded = new byte[modulus.length + 1 + random.nextInt(3)];
      System.arraycopy(modulus, 0, padded, padded.length - modulus.length, modulus.length);
      return rsa(
          "ssh-rsa", random.nextBoolean() ? new byte[] {1, 0, 1} : new byte[] {0, 1, 0, 1}, padded);
    }
    String inner =
        switch (key.type()) {
          case RSA -> one("RSA", "rsa", "rsa-sha2-512", "ssh-rsa", "ssh-rsa2");
          case ED25519 -> one("ED25519", "ed25519", "ssh-ed25519", "SSH-ED25519");
          case SK_ED25519 -> one("ED25519-SK", "ed25519-sk", key.type().word());
          case SK_ECDSA_P256 ->
              one("ECDSA-SK", "webauthn-sk-ecdsa-sha2-nistp256@openssh.com", key.type().word());
          default -> one("ECDSA", key.type().word());
        };
    ByteArrayOutputStream out = new ByteArrayOutputStream();
    string(out, inner.getBytes(StandardCharsets.US_ASCII));
    out.writeBytes(rest);
    if (chance(10)) {
      out.write(0);
    }
    return out.toByteArray();
  }

  private String options() {
    StringBuilder options = new StringBuilder();
    int count = 1 + random.nextInt(4);
    for (int i = 0; i < count; i++) {
      if (i > 0) {
        options.append(one(",", ",", ",", ",", ",", ",,", ", ", ";"));
      }
      options.append(cased(option()));
    }
    return (chance(3) ? "," : "") + options + (chance(3) ? "," : "");
  }

  private String cased(String option) {
    int name = option.indexOf('=') < 0 ? option.length() : option.indexOf('=');
    return chance(10) ? option.substring(0, name).toUpperCase() + option.substring(name) : option;
  }

  private String option() {
    return server == ServerKind.DROPBEAR && chance(85) ? optionOfDropbear() : anyOption();
  }

  private String optionOfDropbear() {
    return switch (random.nextInt(4)) {
      case 0 -> "command=" + quoted(one(COMMANDS));
      case 1 -> "permitopen=" + quoted(one(PLACES));
      default ->
          one(
              "restrict",
              "no-pty",
              "no-port-forwarding",
              "no-agent-forwarding",
              "no-X11-forwarding",
              "no-touch-required",
              "verify-required");
    };
  }

  private String anyOption() {
    List<Supplier<String>> kinds =
        List.of(
            () -> FLAGS[random.nextInt(FLAGS.length)],
            () -> one("restrict", "no-pty", "no-port-forwarding"),
            () -> "from=" + quoted(sources()),
            () -> "from=" + quoted(one("127.0.0.1", "127.0.0.0/8", "10.0.0.0/8,127.0.0.1")),
            () -> "expiry-time=" + quoted(one(TIMES)),
            () -> "permitopen=" + quoted(one(PLACES)),
            () -> "permitlisten=" + quoted(one(PLACES)),
            () -> "tunnel=" + quoted(one(TUNNELS)),
            () -> "environment=" + quoted(one(ENVIRONMENTS)),
            () -> "command=" + quoted(one(COMMANDS)),
            () -> "principals=" + quoted(one("isla", "a,b", "")));
    return kinds.get(random.nextInt(kinds.size())).get();
  }

  private String quoted(String value) {
    return chance(3) ? one(value, "\"" + value, "'" + value + "'") : "\"" + value + "\"";
  }

  private String sources() {
    StringBuilder list = new StringBuilder();
    int count = 1 + random.nextInt(3);
    for (int i = 0; i < count; i++) {
      list.append(i > 0 ? "," : "").append(one(SOURCES));
    }
    return list.toString();
  }

  private String damaged(String text) {
    int at = random.nextInt(text.length());
    if (chance(60)) {
      at = random.nextInt(Math.min(text.length(), 60)); // where options and the type word are
    }
    return Damage.at(text, at, random, NASTY);
  }
}
