package tolvin.core.sheet;

import com.google.re2j.Pattern;
import java.security.SecureRandom;
import java.time.Duration;
import java.util.Collection;
import java.util.List;
import java.util.Optional;
import java.util.Set;
import tolvin.core.estate.Access;
import tolvin.core.estate.Purpose;
import tolvin.core.form.Form;
import tolvin.core.key.KeyType;
import tolvin.core.key.PublicKey;
import tolvin.core.pair.KeyChoice;
import tolvin.core.pair.KeyPairMaker;
import tolvin.core.pair.SecretPair;

/**
 * What an account of a system can hold. Planner and rulebook look at this and never at the kind of
 * system.
 *
 * @param slots how many keys at most
 * @param slotNames the names of its slots, if they have names
 * @param types the types of keys that it takes
 * @param rsaLeast the smallest RSA key that it takes, in bits
 * @param rsaMost the largest
 * @param form the notation that it wants keys in
 * @param title what a title may be; empty if keys have none there
 * @param propagation how long a change takes to be everywhere
 * @param reportsUse how exact the time of the last use is that it reports; empty if it reports none
 * @param limits what it can limit: {@code sources}, {@code end}
 * @param purposes what a key can be for there: {@code sign-in}, {@code signing}
 * @param access what can be granted: {@code read}, {@code write}
 */
public record Ability(
    int slots,
    List<String> slotNames,
    Set<KeyType> types,
    int rsaLeast,
    int rsaMost,
    Form form,
    Optional<Title> title,
    Duration propagation,
    Optional<Duration> reportsUse,
    Set<String> limits,
    Set<Purpose> purposes,
    Set<Access> access) {

  private static final List<KeyChoice> IN_ORDER =
      List.of(
          KeyChoice.ED25519,
          KeyChoice.ECDSA_P256,
          KeyChoice.RSA_3072,
          KeyChoice.RSA_4096,
          KeyChoice.ECDSA_P384,
          KeyChoice.ECDSA_P521);

  /**
   * What a title may be.
   *
   * @param longest in characters, with the mark that Tolvin adds
   * @param pattern a regular expression (RE2) that it must match; may be empty
   * @param mark whether Tolvin's mark is added to it
   */
  public record Title(int longest, String pattern, boolean mark) {
    /** Whether a whole title, with its mark, matches the pattern. */
    public boolean matches(String title) {
      return pattern.isEmpty() || Pattern.matches(pattern, title);
    }
  }

  /** Why the system would not take this key, in a sentence; empty if it takes it. */
  public Optional<String> refuses(PublicKey key) {
    if (!types.contains(key.type())) {
      return Optional.of(
          "It takes no "
              + key.type().label()
              + " keys, only "
              + String.join(", ", types.stream().map(KeyType::label).sorted().toList())
              + ".");
    }
    if (key.type() == KeyType.RSA && (key.bits() < rsaLeast || key.bits() > rsaMost)) {
      return Optional.of(
          "It takes RSA keys of "
              + rsaLeast
              + " to "
              + rsaMost
              + " bits; this one has "
              + key.bits()
              + ".");
    }
    return Optional.empty();
  }

  /**
   * Makes a pair that all of some accounts take: Ed25519 if they do, or else the first kind that
   * they do; Ed25519 too if there is none, so that each says itself what it does not take.
   */
  public static SecretPair pairFor(Collection<Ability> all, SecureRandom random) {
    for (KeyChoice choice : IN_ORDER) {
      SecretPair pair = KeyPairMaker.make(choice, random);
      if (all.stream().allMatch(ability -> ability.refuses(pair.key()).isEmpty())) {
        return pair;
      }
      pair.close();
    }
    return KeyPairMaker.ed25519(random);
  }
}
