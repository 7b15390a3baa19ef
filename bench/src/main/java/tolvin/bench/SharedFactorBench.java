package tolvin.bench;

import java.math.BigInteger;
import java.util.ArrayList;
import java.util.HashSet;
import java.util.List;
import java.util.Random;
import java.util.Set;
import java.util.stream.IntStream;
import tolvin.core.weak.SharedFactors;

/**
 * Shared factors among 100,000 RSA moduli of 2048 bits by the product tree, against comparing all
 * pairs, which is measured on a sample. A few moduli share a prime; all of those must be found. The
 * others are random numbers and may share a factor by chance, which is then found as well.
 */
final class SharedFactorBench {
  private static final int SAMPLE = 400;
  private static final int SHARING = 40;

  private SharedFactorBench() {}

  static void run(int count) {
    Random random = new Random(9);
    List<BigInteger> moduli = new ArrayList<>(count);
    for (int i = 0; i < count; i++) {
      // Numbers without known factors stand in for products of two primes, which take long to make.
      moduli.add(odd(random));
    }
    Set<Integer> planted = new HashSet<>();
    BigInteger shared = BigInteger.probablePrime(1024, random);
    while (planted.size() < Math.min(SHARING, count / 2)) {
      planted.add(random.nextInt(count));
    }
    for (int i : planted) {
      moduli.set(i, shared.multiply(BigInteger.probablePrime(1024, random)));
    }
    // The stand-ins share small primes with each other; they are taken out, as real moduli have
    // none.
    BigInteger small = smallPrimes();
    for (int i = 0; i < count; i++) {
      BigInteger modulus = moduli.get(i);
      for (BigInteger g = modulus.gcd(small); !g.equals(BigInteger.ONE); g = modulus.gcd(small)) {
        modulus = modulus.divide(g);
      }
      moduli.set(i, modulus);
    }
    long start = System.nanoTime();
    Set<Integer> found = SharedFactors.among(moduli).keySet();
    double tree = (System.nanoTime() - start) / 1e9;
    start = System.nanoTime();
    long pairs =
        IntStream.range(0, SAMPLE)
            .parallel()
            .mapToLong(
                i -> {
                  long compared = 0;
                  for (int j = 0; j < i; j++, compared++) {
                    moduli.get(i).gcd(moduli.get(j));
                  }
                  return compared;
                })
            .sum();
    double pair = (System.nanoTime() - start) / 1e9 / pairs;
    double all = pair * count * (count - 1) / 2;
    System.out.printf(
        "Shared factors among %d moduli: %.0f s by the tree (%d found, the %d planted among them:"
            + " %s); all pairs would take %.0f s (%d pairs measured): %.0f times as long%n",
        count,
        tree,
        found.size(),
        planted.size(),
        found.containsAll(planted),
        all,
        pairs,
        all / tree);
  }

  private static BigInteger odd(Random random) {
    return new BigInteger(2048, random).setBit(2047).setBit(0);
  }

  /** The product of the primes below 100,000. */
  private static BigInteger smallPrimes() {
    List<BigInteger> primes = new ArrayList<>();
    BigInteger prime = BigInteger.TWO;
    while (prime.bitLength() < 17) {
      primes.add(prime);
      prime = prime.nextProbablePrime();
    }
    return SharedFactors.product(primes);
  }
}
