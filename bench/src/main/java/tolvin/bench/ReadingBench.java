package tolvin.bench;

import java.io.IOException;
import java.io.OutputStream;
import java.math.BigInteger;
import java.nio.file.Files;
import java.nio.file.Path;
import java.security.SecureRandom;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.Base64;
import java.util.List;
import java.util.Random;
import tolvin.core.key.WireOut;
import tolvin.core.pair.KeyPairMaker;

/**
 * Reading and fingerprinting a file of keys: Tolvin in one cold process, and warm, against
 * OpenSSH's own listing of the same file in the same run. Both list every key, and the lists are
 * compared.
 */
final class ReadingBench {
  private static final int ROUNDS = 5;

  private ReadingBench() {}

  static void run(Path directory, String classPath) throws Exception {
    System.out.println("Reading and fingerprinting, medians of " + ROUNDS + " rounds in turn:");
    measure("100,000 Ed25519", ed25519(directory.resolve("ed25519"), 100_000), classPath);
    measure("10,000 RSA-2048", rsa(directory.resolve("rsa"), 10_000), classPath);
  }

  private static void measure(String what, Path file, String classPath) throws Exception {
    Path ours = file.resolveSibling("ours");
    Path theirs = file.resolveSibling("theirs");
    double[] cold = new double[ROUNDS];
    double[] reference = new double[ROUNDS];
    for (int i = 0; i < ROUNDS; i++) {
      cold[i] =
          timed(
              ours,
              "java",
              "-XX:+UseSerialGC",
              "-XX:TieredStopAtLevel=1",
              "-Xshare:auto",
              "-cp",
              classPath,
              ListKeys.class.getName(),
              file.toString());
      reference[i] = timed(theirs, "ssh-keygen", "-lf", file.toString());
    }
    boolean same = Files.mismatch(ours, theirs) < 0;
    byte[] content = Files.readAllBytes(file);
    double[] warm = new double[15];
    int keys = 0;
    for (int i = 0; i < warm.length; i++) {
      long start = System.nanoTime();
      keys = ListKeys.list(content, OutputStream.nullOutputStream());
      warm[i] = (System.nanoTime() - start) / 1e9;
    }
    double warmest = median(Arrays.copyOfRange(warm, 10, 15));
    System.out.printf(
        "  %-16s OpenSSH %.2f s   cold %.2f s (%.1f times as fast)   warm %.3f s (%.1f times)"
            + "   %,d keys, lists %s%n",
        what,
        median(reference),
        median(cold),
        median(reference) / median(cold),
        warmest,
        median(reference) / warmest,
        keys,
        same ? "identical" : "DIFFERENT");
    if (!same) {
      throw new IllegalStateException("the lists differ: " + ours + " " + theirs);
    }
  }

  private static double timed(Path out, String... command) throws Exception {
    long start = System.nanoTime();
    Process process = new ProcessBuilder(command).redirectOutput(out.toFile()).start();
    if (process.waitFor() != 0) {
      throw new IOException(
          command[0] + ": " + new String(process.getErrorStream().readAllBytes()));
    }
    return (System.nanoTime() - start) / 1e9;
  }

  private static Path ed25519(Path file, int count) throws IOException {
    SecureRandom random = new SecureRandom();
    StringBuilder text = new StringBuilder();
    for (int i = 0; i < count; i++) {
      text.append(KeyPairMaker.ed25519(random).key().line("feed-" + i)).append('\n');
    }
    return Files.writeString(file, text);
  }

  /** Products of pairs out of a few hundred primes: different moduli, quickly made. */
  private static Path rsa(Path file, int count) throws IOException {
    Random random = new SecureRandom();
    List<BigInteger> primes = new ArrayList<>();
    while (primes.size() < 160) {
      BigInteger prime = BigInteger.probablePrime(1024, random).setBit(1022);
      if (prime.isProbablePrime(20)) {
        primes.add(prime);
      }
    }
    StringBuilder text = new StringBuilder();
    int made = 0;
    for (int i = 0; i < primes.size() && made < count; i++) {
      for (int j = 0; j < i && made < count; j++) {
        BigInteger modulus = primes.get(i).multiply(primes.get(j));
        if (modulus.bitLength() == 2048) {
          byte[] blob =
              new WireOut()
                  .string("ssh-rsa")
                  .integer(BigInteger.valueOf(65537))
                  .integer(modulus)
                  .toBytes();
          text.append("ssh-rsa ").append(Base64.getEncoder().encodeToString(blob));
          text.append(" feed-").append(made++).append('\n');
        }
      }
    }
    return Files.writeString(file, text);
  }

  static double median(double[] values) {
    double[] sorted = values.clone();
    Arrays.sort(sorted);
    return sorted[sorted.length / 2];
  }
}
