package tolvin.core.weak;

import static org.assertj.core.api.Assertions.assertThat;

import java.math.BigInteger;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Random;
import net.jqwik.api.ForAll;
import net.jqwik.api.Property;
import net.jqwik.api.constraints.IntRange;
import org.junit.jupiter.api.Test;

class WeakTest {
  private static final Random RANDOM = new Random(1);

  private static BigInteger prime(int bits) {
    return BigInteger.probablePrime(bits, RANDOM);
  }

  /** Few small primes, so that many moduli share one: the tree must find what all pairs find. */
  @Property(tries = 200)
  void theTreeFindsExactlyWhatAllPairsFind(
      @ForAll @IntRange(min = 0, max = 40) int count, @ForAll Random random) {
    List<BigInteger> moduli = new ArrayList<>();
    for (int i = 0; i < count; i++) {
      BigInteger modulus = BigInteger.ONE;
      for (int k = 0; k < 2; k++) {
        modulus =
            modulus.multiply(
                BigInteger.valueOf(1_000_000L + random.nextInt(300)).nextProbablePrime());
      }
      if (!moduli.contains(modulus)) {
        moduli.add(modulus);
      }
    }
    Map<Integer, Boolean> pairs = new HashMap<>();
    for (int i = 0; i < moduli.size(); i++) {
      for (int j = 0; j < moduli.size(); j++) {
        if (i != j && !moduli.get(i).gcd(moduli.get(j)).equals(BigInteger.ONE)) {
          pairs.put(i, true);
        }
      }
    }
    assertThat(SharedFactors.among(moduli).keySet()).isEqualTo(pairs.keySet());
    int half = moduli.size() / 2;
    List<BigInteger> fresh = moduli.subList(0, half);
    List<BigInteger> stored = moduli.subList(half, moduli.size());
    assertThat(SharedFactors.with(fresh, SharedFactors.product(stored)).keySet())
        .allSatisfy(
            i ->
                assertThat(stored)
                    .anySatisfy(
                        m -> assertThat(m.gcd(fresh.get(i))).isGreaterThan(BigInteger.ONE)));
  }

  @Test
  void largeNumbersAreMultipliedAndDividedAsSmallOnesAre() {
    BigInteger a = new BigInteger(6_100_000, RANDOM);
    BigInteger b = new BigInteger(6_200_000, RANDOM).setBit(6_199_999);
    BigInteger product = a.multiply(b);
    assertThat(Large.multiply(a, b)).isEqualTo(product);
    assertThat(Large.mod(product, a.add(BigInteger.ONE)))
        .isEqualTo(product.mod(a.add(BigInteger.ONE)));
    // Nothing of it is put into files.
    assertThat(java.nio.file.Path.of("").toAbsolutePath().toFile().list())
        .noneMatch(name -> name.endsWith(".ap"));
  }

  @Test
  void eachWeaknessOfOneModulusIsFoundAndSoundOnesPass() {
    BigInteger p = prime(512);
    assertThat(RsaCheck.of(p.multiply(p)).orElseThrow().kind())
        .isEqualTo(Weakness.Kind.NOT_A_PRODUCT);
    assertThat(RsaCheck.of(prime(1024)).orElseThrow().kind())
        .isEqualTo(Weakness.Kind.NOT_A_PRODUCT);
    assertThat(RsaCheck.of(p.multiply(p.nextProbablePrime())).orElseThrow().kind())
        .isEqualTo(Weakness.Kind.CLOSE_FACTORS);
    assertThat(RsaCheck.of(patterned().multiply(patterned())).orElseThrow().kind())
        .isEqualTo(Weakness.Kind.PATTERNED);
    for (int i = 0; i < 50; i++) {
      assertThat(RsaCheck.of(prime(256).multiply(prime(256)))).isEmpty();
    }
  }

  /** A prime k·M + (65537^a mod M), M the product of the first 39 primes, as the paper has it. */
  private static BigInteger patterned() {
    BigInteger m = BigInteger.ONE;
    BigInteger next = BigInteger.TWO;
    for (int i = 0; i < 39; i++) {
      m = m.multiply(next);
      next = next.nextProbablePrime();
    }
    while (true) {
      BigInteger power = BigInteger.valueOf(65537).modPow(new BigInteger(64, RANDOM), m);
      BigInteger candidate = new BigInteger(37, RANDOM).multiply(m).add(power);
      if (candidate.isProbablePrime(20)) {
        return candidate;
      }
    }
  }
}
