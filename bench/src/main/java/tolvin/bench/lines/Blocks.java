package tolvin.bench.lines;

import java.io.IOException;
import java.security.SecureRandom;
import java.util.Base64;
import java.util.Random;
import tolvin.core.form.ExchangeFile;
import tolvin.core.pair.KeyChoice;
import tolvin.core.pair.KeyPairMaker;
import tolvin.core.pair.SecretPair;

/**
 * Makes blocks of RFC 4716, right and nearly right, with damage on top. The same seed makes the
 * same blocks, keys aside.
 */
final class Blocks {
  private static final String[] NASTY = {
    " ", "\t", "\r", "\n", "\r\n", ":", ": ", "\\", "\\\n", "=", "-", "A", "\u00ff", "\"", "#", "*"
  };

  private final Random random;
  private final SecureRandom keys = new SecureRandom();

  Blocks(long seed) {
    random = new Random(seed);
  }

  /**
   * A block, and the key that stands in it in some spelling.
   *
   * @param text one character for each byte
   */
  record Made(String text, SecretPair pair) {}

  Made next() throws IOException {
    KeyChoice choice =
        chance(4) ? KeyChoice.RSA_3072 : one(KeyChoice.ED25519, KeyChoice.ECDSA_P256);
    SecretPair pair = KeyPairMaker.make(choice, keys);
    String end = chance(5) ? "\r\n" : "\n";
    StringBuilder block = new StringBuilder();
    if (chance(10)) {
      block.append(
          one(
              "# a comment",
              "",
              "key: of isla",
              "key: of isla\\",
              pair.key().line("one line"),
              "x".repeat(74),
              "x".repeat(73),
              "- ".repeat(37)));
      block.append(chance(70) ? end : "");
    }
    block.append(
        chance(5) ? one("---- BEGIN SSH2 PUBLIC KEY", "---BEGIN", "") : ExchangeFile.BEGIN);
    block.append(end);
    for (int headers = random.nextInt(3); headers > 0; headers--) {
      block.append(header()).append(end);
    }
    body(block, Base64.getEncoder().encodeToString(pair.key().blob()), end);
    block.append(chance(5) ? one("---- END SSH2 PUBLIC KEY", "", "----") : ExchangeFile.END);
    block.append(chance(3) ? "" : end);
    String text = block.toString();
    if (chance(20)) {
      text = Damage.at(text, random.nextInt(text.length()), random, NASTY);
    }
    return new Made(text, pair);
  }

  private String header() {
    return one(
        "Comment: \"crane 4\"",
        "Comment: crane 4",
        "Comment: \"a: b\"",
        "Comment: \"" + "long ".repeat(12) + "\\\nand longer\"",
        "Comment: \"" + "l".repeat(90) + "\"",
        "Comment: " + "l".repeat(63),
        "Comment:",
        "Comment: ",
        "comment: \"lower\"",
        "x-tag: \\\nvalue",
        "X-" + "t".repeat(63) + ": v",
        "Subject: isla",
        "Comment: \"\u00c3\u00bc\"");
  }

  private void body(StringBuilder block, String body, String end) {
    int width = one(64, 70, 70, 70, 72, 73, 74, 75, 76, 100, 10_000);
    for (int at = 0; at < body.length(); at += width) {
      block.append(body, at, Math.min(body.length(), at + width));
      block.append(chance(1) ? one(" ", "\\") : "").append(end);
    }
  }

  private boolean chance(int percent) {
    return random.nextInt(100) < percent;
  }

  @SafeVarargs
  private <T> T one(T... of) {
    return of[random.nextInt(of.length)];
  }
}
