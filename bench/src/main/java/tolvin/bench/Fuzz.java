package tolvin.bench;

import java.math.BigInteger;
import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.Base64;
import java.util.List;
import java.util.Random;
import java.util.concurrent.atomic.AtomicLongArray;
import java.util.stream.IntStream;
import tolvin.core.authorized.AuthorizedKeys;
import tolvin.core.authorized.KeyOptions;
import tolvin.core.form.Form;
import tolvin.core.give.GivenOut;
import tolvin.core.intake.Intake;
import tolvin.core.intake.Item;
import tolvin.core.intake.Outcome;
import tolvin.core.key.KeyNumbers;
import tolvin.core.key.KeyType;
import tolvin.core.key.OneLine;
import tolvin.core.key.PublicKey;
import tolvin.core.key.RefusedException;
import tolvin.core.key.WireOut;
import tolvin.core.pair.KeyPairMaker;

/**
 * Throws mutations of valid inputs at the readers: of the text, of the wire blob and of the DER
 * inside it, whose lengths and numbers are changed before it is wrapped again. Whatever comes out
 * must be items; every key among them must have one spelling and be read back from it.
 */
public final class Fuzz {
  private static final String[] MARKS = {
    "\n",
    "\r\n",
    " ",
    "\t",
    ">",
    "\"",
    "=",
    "+",
    "-----BEGIN PUBLIC KEY-----",
    "{",
    "}",
    "[",
    "\\",
    "\0",
    "\ufeff",
    "\u202e",
    "ssh-ed25519 ",
    "AAAA",
    "#",
    ",",
    "from=\"",
    ":",
    "```"
  };

  private final Random random;
  private final List<byte[]> seeds;
  private final List<PublicKey> keys;

  private Fuzz(long seed, List<PublicKey> keys, List<byte[]> seeds) {
    this.random = new Random(seed);
    this.keys = keys;
    this.seeds = seeds;
  }

  /**
   * What a run saw.
   *
   * @param inputs how many inputs were read
   * @param keys how many keys they gave
   * @param refused how many refusals
   * @param questions how many questions
   */
  public record Seen(long inputs, long keys, long refused, long questions) {}

  /** Runs; throws with the input in hex if a reader does what it must not. */
  public static Seen run(long count, long seed) throws RefusedException {
    List<PublicKey> keys = keys();
    List<byte[]> seeds = seeds(keys);
    AtomicLongArray seen = new AtomicLongArray(3);
    int workers = Runtime.getRuntime().availableProcessors();
    IntStream.range(0, workers)
        .parallel()
        .forEach(
            worker -> {
              Fuzz fuzz = new Fuzz(seed + worker, keys, seeds);
              for (long i = worker; i < count; i += workers) {
                fuzz.one(seen);
              }
            });
    return new Seen(count, seen.get(0), seen.get(1), seen.get(2));
  }

  private static List<PublicKey> keys() throws RefusedException {
    Random random = new Random(7);
    List<PublicKey> keys = new ArrayList<>();
    keys.add(KeyPairMaker.ed25519(new java.security.SecureRandom()).key());
    BigInteger modulus =
        BigInteger.probablePrime(512, random).multiply(BigInteger.probablePrime(520, random));
    keys.add(new KeyNumbers.Rsa(modulus, BigInteger.valueOf(65537)).key());
    for (String curve : new String[] {"256", "384", "521"}) {
      try {
        var generator = java.security.KeyPairGenerator.getInstance("EC");
        generator.initialize(Integer.parseInt(curve));
        byte[] spki = generator.generateKeyPair().getPublic().getEncoded();
        keys.add(tolvin.core.form.DerKeys.readSpki(spki));
      } catch (java.security.NoSuchAlgorithmException impossible) {
        throw new IllegalStateException(impossible);
      }
    }
    byte[] point = ((KeyNumbers.Edwards25519) keys.get(0).numbers()).point();
    byte[] hardware =
        new WireOut().string(KeyType.SK_ED25519.word()).string(point).string("ssh:").toBytes();
    keys.add(tolvin.core.key.PublicBlob.read(hardware));
    return keys;
  }

  private static List<byte[]> seeds(List<PublicKey> keys) {
    List<byte[]> seeds = new ArrayList<>();
    for (PublicKey key : keys) {
      for (Form form : Form.values()) {
        try {
          seeds.add(GivenOut.write(key, "crane 4", KeyOptions.NONE, form).getBytes());
        } catch (RefusedException cannot) {
          continue; // this form has no word for the type
        }
      }
      try {
        seeds.add(tolvin.core.form.DerKeys.writeSpki(key));
      } catch (RefusedException cannot) {
        continue; // DER has no word for it either
      }
    }
    String line = keys.get(0).line("me");
    seeds.add(("restrict,from=\"10.0.0.0/8\",command=\"a \\\"b\\\"\" " + line + "\n").getBytes());
    seeds.add(("> " + line.replaceAll("(.{40})", "$1\n> ") + "\n").getBytes());
    seeds.add((line + "\n" + keys.get(1).line("you") + "\n# end\n").getBytes());
    // what is asked about: bare bytes, a name before a key, a second key behind it
    byte[] point = ((KeyNumbers.Edwards25519) keys.get(0).numbers()).point();
    seeds.add(Base64.getEncoder().encode(point));
    seeds.add(("crane4 " + line + "\n").getBytes());
    seeds.add((line + ' ' + keys.get(1).line("you") + "\n").getBytes());
    return seeds;
  }

  private void one(AtomicLongArray seen) {
    byte[] input = random.nextInt(3) == 0 ? structured() : mutated(pick(), 1 + random.nextInt(4));
    try {
      for (Item item : Intake.read(input)) {
        if (item.outcome() instanceof Outcome.Key read) {
          seen.incrementAndGet(0);
          check(read.key());
        } else if (item.outcome() instanceof Outcome.Refused) {
          seen.incrementAndGet(1);
        } else {
          seen.incrementAndGet(2);
        }
      }
      if (!Arrays.equals(AuthorizedKeys.of(input).toBytes(), input)) {
        throw new IllegalStateException("authorized_keys changed a byte");
      }
    } catch (RefusedException | RuntimeException e) {
      throw new AssertionError(java.util.HexFormat.of().formatHex(input), e);
    }
  }

  private static void check(PublicKey key) throws RefusedException {
    if (!OneLine.read(key.line()).orRefuse().key().equals(key)) {
      throw new IllegalStateException("not read back");
    }
    if (!key.type().hardware() && !Arrays.equals(key.numbers().key().blob(), key.blob())) {
      throw new IllegalStateException("a second spelling");
    }
  }

  private byte[] pick() {
    return seeds.get(random.nextInt(seeds.size()));
  }

  /** A blob or DER changed inside, wrapped as if nothing had happened. */
  private byte[] structured() {
    PublicKey key = keys.get(random.nextInt(keys.size()));
    try {
      if (random.nextBoolean() || key.type().hardware()) {
        byte[] blob = random.nextInt(4) == 0 ? lengths(key.blob()) : mutated(key.blob(), 1);
        return (key.type().word() + ' ' + Base64.getEncoder().encodeToString(blob) + " x")
            .getBytes();
      }
      byte[] der = mutated(tolvin.core.form.DerKeys.writeSpki(key), 1);
      return random.nextBoolean() ? der : tolvin.core.form.Pem.write("PUBLIC KEY", der).getBytes();
    } catch (RefusedException e) {
      throw new IllegalStateException(e);
    }
  }

  /** Four bytes somewhere become a length that lies. */
  private byte[] lengths(byte[] blob) {
    byte[] changed = blob.clone();
    int at = random.nextInt(Math.max(1, changed.length - 4));
    int[] values = {-1, Integer.MAX_VALUE, 0, 1, changed.length, random.nextInt()};
    int value = values[random.nextInt(values.length)];
    for (int i = 0; i < 4; i++) {
      changed[at + i] = (byte) (value >>> 24 - 8 * i);
    }
    return changed;
  }

  private byte[] mutated(byte[] seed, int times) {
    byte[] input = seed;
    for (int i = 0; i < times; i++) {
      int at = random.nextInt(input.length + 1);
      int to = Math.min(input.length, at + 1 + random.nextInt(12));
      byte[] head = Arrays.copyOf(input, at);
      byte[] tail = Arrays.copyOfRange(input, at, input.length);
      input =
          switch (random.nextInt(9)) {
            case 0 -> flipped(input);
            case 1 -> joined(head, Arrays.copyOfRange(input, to, input.length));
            case 2 -> joined(head, Arrays.copyOfRange(input, at, to), tail);
            case 3 -> head;
            case 4 -> joined(head, mark(), tail);
            case 5 -> joined(head, pick(), tail);
            case 6 -> joined(head, new byte[] {(byte) random.nextInt(256)}, tail);
            case 7 ->
                new String(input, StandardCharsets.ISO_8859_1)
                    .getBytes(
                        random.nextBoolean() ? StandardCharsets.UTF_16 : StandardCharsets.UTF_16LE);
            default -> joined(tail, head);
          };
      if (input.length == 0) {
        return mark();
      }
    }
    return input;
  }

  private byte[] mark() {
    return MARKS[random.nextInt(MARKS.length)].getBytes(StandardCharsets.UTF_8);
  }

  private byte[] flipped(byte[] input) {
    byte[] changed = input.clone();
    changed[random.nextInt(changed.length)] ^= (byte) (1 << random.nextInt(8));
    return changed;
  }

  private static byte[] joined(byte[]... parts) {
    WireOut out = new WireOut();
    for (byte[] part : parts) {
      out.raw(part);
    }
    return out.toBytes();
  }

  /** Reads as many inputs as the first argument says, ten million by default. */
  public static void main(String[] arguments) throws RefusedException {
    long count = arguments.length > 0 ? Long.parseLong(arguments[0]) : 10_000_000;
    long start = System.nanoTime();
    Seen seen = run(count, System.nanoTime());
    double seconds = (System.nanoTime() - start) / 1e9;
    System.out.printf(
        "fuzz: %d inputs gave %d keys, %d refusals, %d questions, and nothing else; %.0f inputs/s%n",
        seen.inputs(), seen.keys(), seen.refused(), seen.questions(), count / seconds);
  }
}
