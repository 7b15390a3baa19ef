package tolvin.core.weak;

import java.math.BigInteger;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.stream.IntStream;

/**
 * Finds moduli that share a prime with another one among many, by a product tree and a remainder
 * tree (Bernstein, How to find smooth parts of integers, section 2; Heninger and others, Mining
 * Your Ps and Qs, section 3.2), in a time far below that of comparing all pairs.
 *
 * <p>Beside each product P the tree keeps the sum S of P / n over its moduli n. Modulo n every term
 * of S but its own vanishes, so S mod n is the product of all the others modulo n, and no squares
 * are needed on the way down.
 */
public final class SharedFactors {
  private SharedFactors() {}

  private record Node(BigInteger product, BigInteger sum) {
    static Node of(BigInteger modulus) {
      return new Node(modulus, BigInteger.ONE);
    }

    Node with(Node other) {
      return new Node(
          Large.multiply(product, other.product),
          Large.multiply(sum, other.product).add(Large.multiply(other.sum, product)));
    }
  }

  /**
   * The moduli that share a factor with another.
   *
   * @param moduli positive and different from each other
   * @return for the index of each such modulus the factor that it shares
   */
  public static Map<Integer, BigInteger> among(List<BigInteger> moduli) {
    if (moduli.size() < 2) {
      return Map.of();
    }
    List<Node[]> tree = new ArrayList<>();
    tree.add(moduli.stream().map(Node::of).toArray(Node[]::new));
    while (top(tree).length > 1) {
      Node[] below = top(tree);
      Node[] level = new Node[(below.length + 1) / 2];
      IntStream.range(0, level.length)
          .parallel()
          .forEach(
              i ->
                  level[i] =
                      2 * i + 1 < below.length
                          ? below[2 * i].with(below[2 * i + 1])
                          : below[2 * i]);
      tree.add(level);
    }
    BigInteger[] rests = {top(tree)[0].sum()};
    for (int depth = tree.size() - 2; depth >= 0; depth--) {
      rests = down(rests, tree.get(depth));
    }
    return shared(moduli, rests);
  }

  private static Node[] top(List<Node[]> tree) {
    return tree.get(tree.size() - 1);
  }

  private static BigInteger[] down(BigInteger[] above, Node[] level) {
    BigInteger[] rests = new BigInteger[level.length];
    IntStream.range(0, level.length)
        .parallel()
        .forEach(i -> rests[i] = Large.mod(above[i / 2], level[i].product()));
    return rests;
  }

  private static Map<Integer, BigInteger> shared(List<BigInteger> moduli, BigInteger[] rests) {
    Map<Integer, BigInteger> found = new LinkedHashMap<>();
    for (int i = 0; i < rests.length; i++) {
      BigInteger factor = moduli.get(i).gcd(rests[i]);
      if (!factor.equals(BigInteger.ONE)) {
        found.put(i, factor);
      }
    }
    return found;
  }

  /**
   * The product of many numbers, for {@link #with}.
   *
   * @param numbers positive; none give 1
   */
  public static BigInteger product(List<BigInteger> numbers) {
    if (numbers.size() <= 1) {
      return numbers.isEmpty() ? BigInteger.ONE : numbers.get(0);
    }
    int half = numbers.size() / 2;
    return Large.multiply(
        product(numbers.subList(0, half)), product(numbers.subList(half, numbers.size())));
  }

  /**
   * The moduli that share a factor with any of those in a product.
   *
   * @param moduli those to look at
   * @param product of others, none of them equal to one of these
   * @return for the index of each such modulus the factor that it shares
   */
  public static Map<Integer, BigInteger> with(List<BigInteger> moduli, BigInteger product) {
    BigInteger[] rests = new BigInteger[moduli.size()];
    rest(moduli, product, 0, rests);
    return shared(moduli, rests);
  }

  private static void rest(
      List<BigInteger> moduli, BigInteger product, int from, BigInteger[] rests) {
    if (moduli.size() == 1) {
      rests[from] = Large.mod(product, moduli.get(0));
      return;
    }
    if (moduli.isEmpty()) {
      return;
    }
    BigInteger own = product(moduli);
    BigInteger smaller = Large.mod(product, own);
    int half = moduli.size() / 2;
    rest(moduli.subList(0, half), smaller, from, rests);
    rest(moduli.subList(half, moduli.size()), smaller, from + half, rests);
  }
}
