package tolvin.bench;

import java.time.Duration;
import java.time.Instant;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import java.util.Random;
import java.util.Set;
import tolvin.core.estate.Access;
import tolvin.core.estate.Custody;
import tolvin.core.estate.Family;
import tolvin.core.estate.IdentityKind;
import tolvin.core.estate.Purpose;
import tolvin.core.key.Fingerprint;
import tolvin.core.key.KeyType;
import tolvin.core.pair.KeyPairMaker;
import tolvin.core.rulebook.Facts;
import tolvin.core.rulebook.Rulebook;
import tolvin.core.rulebook.RulebookText;
import tolvin.core.rulebook.Verdict;

/**
 * The shipped rulebook's verdicts over 100,000 keys at a place, against taking the fingerprints of
 * as many keys, which is the least that anything does with a key.
 */
final class VerdictBench {
  private static final int KEYS = 100_000;
  private static final int ROUNDS = 7;

  private VerdictBench() {}

  static void run() throws Exception {
    Rulebook rulebook;
    try (var in = Rulebook.class.getResourceAsStream("shipped.yaml")) {
      String text = new String(in.readAllBytes(), java.nio.charset.StandardCharsets.UTF_8);
      rulebook = RulebookText.read(text).rulebook().orElseThrow();
    }
    byte[] blob = KeyPairMaker.ed25519(new java.security.SecureRandom()).key().blob();
    Instant now = Instant.now();
    List<Facts> facts = facts(now);
    double[] judging = new double[ROUNDS];
    double[] hashing = new double[ROUNDS];
    long notes = 0;
    long refused = 0;
    for (int round = 0; round < ROUNDS; round++) {
      notes = 0;
      refused = 0;
      long start = System.nanoTime();
      for (Facts one : facts) {
        Verdict verdict = rulebook.judge(one, now);
        notes += verdict.notes().size();
        refused += verdict.outcome() == Verdict.Outcome.REFUSED ? 1 : 0;
      }
      long middle = System.nanoTime();
      for (int i = 0; i < KEYS; i++) {
        blob[blob.length - 1] = (byte) i;
        notes += Fingerprint.of(blob).value().isEmpty() ? 1 : 0;
      }
      judging[round] = (middle - start) / 1e9;
      hashing[round] = (System.nanoTime() - middle) / 1e9;
    }
    double judged = ReadingBench.median(judging);
    double hashed = ReadingBench.median(hashing);
    System.out.printf(
        "Verdicts over %d keys, %d rules: %.0f verdicts/s (%d refused, %d notes); a verdict costs"
            + " %.2f times a fingerprint%n",
        KEYS, rulebook.rules().size(), KEYS / judged, refused, notes, judged / hashed);
  }

  private static List<Facts> facts(Instant now) {
    Random random = new Random(5);
    KeyType[] types = KeyType.values();
    List<Facts> all = new ArrayList<>();
    for (int i = 0; i < KEYS; i++) {
      KeyType type = types[random.nextInt(types.length)];
      int bits = type == KeyType.RSA ? 1024 << random.nextInt(3) : 256;
      all.add(
          new Facts(
              new Facts.Numbers(type, bits, type == KeyType.RSA ? 65537 : 0),
              "SHA256:" + i,
              Custody.MACHINE,
              now.minus(Duration.ofDays(random.nextInt(900))),
              random.nextInt(10) == 0 ? "" : "host" + i + "@skerrymoor",
              Optional.of(
                  new Facts.Holder(
                      random.nextBoolean() ? IdentityKind.PERSON : IdentityKind.SERVICE_ACCOUNT,
                      "i" + i,
                      "Shore systems")),
              Optional.empty(),
              random.nextInt(50) == 0 ? Optional.of("lost") : Optional.empty(),
              Set.of(),
              List.of(),
              Optional.of(
                  new Facts.Place(
                      "sftp.skerrymoor.example",
                      Family.SFTP_SERVER,
                      Purpose.SIGN_IN,
                      Access.WRITE,
                      "title",
                      List.of(),
                      now,
                      Optional.empty()))));
    }
    return all;
  }
}
