package tolvin.core.weak;

import java.math.BigInteger;
import java.util.Optional;
import tolvin.core.key.KeyNumbers;
import tolvin.core.key.PublicKey;

/**
 * What one RSA modulus says against itself.
 *
 * <ul>
 *   <li>a prime or a perfect square instead of a product of two primes (Miller and Rabin's test);
 *   <li>primes next to each other: Fermat's method, some steps of it (Knuth, The Art of Computer
 *       Programming, volume 2, section 4.5.4, algorithm C);
 *   <li>primes of the form k·M + (65537^a mod M) with a smooth M, CVE-2017-15361 (Nemec and others,
 *       The Return of Coppersmith's Attack, section 2.1): modulo each small prime the modulus is a
 *       power of 65537.
 * </ul>
 */
public final class RsaCheck {
  private static final int FERMAT_STEPS = 64;
  private static final int CERTAINTY = 20;
  private static final BigInteger GENERATOR = BigInteger.valueOf(65537);
  private static final int[] PRIMES = {
    11, 13, 17, 19, 37, 53, 61, 71, 73, 79, 97, 103, 107, 109, 127, 151, 157
  };
  private static final boolean[][] POWERS = powers();

  private RsaCheck() {}

  /** The weakness of a key's numbers; empty for sound ones and for other types. */
  public static Optional<Weakness> of(PublicKey key) {
    return key.numbers() instanceof KeyNumbers.Rsa rsa ? of(rsa.modulus()) : Optional.empty();
  }

  static Optional<Weakness> of(BigInteger modulus) {
    if (isPatterned(modulus)) {
      return found(Weakness.Kind.PATTERNED);
    }
    BigInteger root = modulus.sqrt();
    if (root.multiply(root).equals(modulus) || modulus.isProbablePrime(CERTAINTY)) {
      return found(Weakness.Kind.NOT_A_PRODUCT);
    }
    BigInteger a = root.add(BigInteger.ONE);
    BigInteger rest = a.multiply(a).subtract(modulus);
    for (int i = 0; i < FERMAT_STEPS; i++) {
      BigInteger b = rest.sqrt();
      if (b.multiply(b).equals(rest)) {
        return found(Weakness.Kind.CLOSE_FACTORS);
      }
      rest = rest.add(a.shiftLeft(1)).add(BigInteger.ONE);
      a = a.add(BigInteger.ONE);
    }
    return Optional.empty();
  }

  private static Optional<Weakness> found(Weakness.Kind kind) {
    return Optional.of(new Weakness(kind, ""));
  }

  private static boolean isPatterned(BigInteger modulus) {
    for (int i = 0; i < PRIMES.length; i++) {
      if (!POWERS[i][modulus.mod(BigInteger.valueOf(PRIMES[i])).intValue()]) {
        return false;
      }
    }
    return true;
  }

  private static boolean[][] powers() {
    boolean[][] powers = new boolean[PRIMES.length][];
    for (int i = 0; i < PRIMES.length; i++) {
      int prime = PRIMES[i];
      powers[i] = new boolean[prime];
      int step = GENERATOR.mod(BigInteger.valueOf(prime)).intValue();
      for (int power = 1; !powers[i][power]; power = power * step % prime) {
        powers[i][power] = true;
      }
    }
    return powers;
  }
}
