package tolvin.core.rulebook;

import com.google.re2j.Pattern;
import java.time.Duration;
import java.time.Instant;
import java.util.List;
import java.util.Optional;
import java.util.Set;
import java.util.stream.Collectors;
import tolvin.core.estate.Custody;
import tolvin.core.key.KeyType;
import tolvin.core.rulebook.Facts.Evidence;
import tolvin.core.rulebook.Facts.Place;
import tolvin.core.weak.Weakness;

/** One thing that a rule asks of a key or of its place. */
public sealed interface Demand {

  /**
   * What a key falls short of.
   *
   * @param sentence what is missing
   * @param remedy what to do
   */
  record Shortfall(String sentence, String remedy) {}

  /** What is missing; empty if nothing is, or if the demand is about a place and there is none. */
  Optional<Shortfall> check(Facts facts, Instant now);

  /** The demand in words. */
  String words();

  /** One of some types. */
  record Types(Set<KeyType> types) implements Demand {
    @Override
    public String words() {
      return "the type is "
          + types.stream().sorted().map(KeyType::word).collect(Collectors.joining(", "));
    }

    @Override
    public Optional<Shortfall> check(Facts facts, Instant now) {
      String wanted = types.stream().sorted().map(KeyType::word).collect(Collectors.joining(", "));
      return unless(
          types.contains(facts.numbers().type()),
          () -> "The type is " + facts.numbers().type().word() + "; allowed are " + wanted + ".",
          "Make a key of an allowed type.");
    }
  }

  /** A least size of RSA moduli; other types pass. */
  record RsaBits(int least) implements Demand {
    @Override
    public String words() {
      return "an RSA modulus has at least " + least + " bits";
    }

    @Override
    public Optional<Shortfall> check(Facts facts, Instant now) {
      return unless(
          facts.numbers().type() != KeyType.RSA || facts.numbers().bits() >= least,
          () -> "The RSA modulus has " + facts.numbers().bits() + " bits; " + least + " are least.",
          "Make an Ed25519 key, or an RSA key of " + least + " bits.");
    }
  }

  /** A least exponent of RSA keys; other types pass. */
  record RsaExponent(long least) implements Demand {
    @Override
    public String words() {
      return "an RSA exponent is at least " + least;
    }

    @Override
    public Optional<Shortfall> check(Facts facts, Instant now) {
      return unless(
          facts.numbers().type() != KeyType.RSA || facts.numbers().exponent() >= least,
          () -> "The RSA exponent is " + facts.numbers().exponent() + "; " + least + " is least.",
          "Make a new key with a current tool, which takes 65537.");
    }
  }

  /** A type whose private key lives in a hardware security key. */
  record Hardware() implements Demand {
    @Override
    public String words() {
      return "a hardware security key backs it";
    }

    @Override
    public Optional<Shortfall> check(Facts facts, Instant now) {
      return unless(
          facts.numbers().type().hardware(),
          () -> "The key is not backed by a hardware security key.",
          "Make one on a device: ssh-keygen -t ed25519-sk.");
    }
  }

  /** Something proven at intake. */
  record Proven(Evidence evidence) implements Demand {
    @Override
    public String words() {
      return switch (evidence) {
        case POSSESSION -> "possession of the private key is proven";
        case PASSPHRASE -> "a private file has a passphrase";
        case ATTESTATION -> "the device attested where it was made";
        case USER_VERIFICATION -> "the device asks for a PIN or a finger";
      };
    }

    @Override
    public Optional<Shortfall> check(Facts facts, Instant now) {
      String what =
          switch (evidence) {
            case POSSESSION -> "that its holder has the private key";
            case PASSPHRASE -> "that the private file has a passphrase";
            case ATTESTATION -> "which device it was made on";
            case USER_VERIFICATION -> "that the device asks for a PIN or a finger";
          };
      return unless(
          facts.evidence().contains(evidence),
          () -> "It is not proven " + what + ".",
          "Have its holder prove it, then take the key in.");
    }
  }

  /** A passphrase on a private file; keys kept otherwise pass. */
  record Passphrase() implements Demand {
    @Override
    public String words() {
      return "a private file has a passphrase";
    }

    @Override
    public Optional<Shortfall> check(Facts facts, Instant now) {
      return facts.custody() == Custody.MACHINE
          ? new Proven(Evidence.PASSPHRASE).check(facts, now)
          : Optional.empty();
    }
  }

  /** A longest age of the key. */
  record Age(Duration most) implements Demand {
    @Override
    public String words() {
      return "the key is at most " + most.toDays() + " days old";
    }

    @Override
    public Optional<Shortfall> check(Facts facts, Instant now) {
      Duration age = Duration.between(facts.madeAt(), now);
      return unless(
          age.compareTo(most) <= 0,
          () -> "The key is " + age.toDays() + " days old; " + most.toDays() + " are most.",
          "Rotate it.");
    }
  }

  /** An end of the placement within some time of its beginning. */
  record Expiry(Duration within) implements Demand {
    @Override
    public String words() {
      return "the placement ends within " + within.toDays() + " days";
    }

    @Override
    public Optional<Shortfall> check(Facts facts, Instant now) {
      return atPlace(
          facts,
          place ->
              unless(
                  place
                      .endsAt()
                      .filter(end -> !end.isAfter(place.since().plus(within)))
                      .isPresent(),
                  () ->
                      "The placement has no end within "
                          + within.toDays()
                          + " days of its beginning.",
                  "Give it an end."));
    }
  }

  /** A form of the key's comment (RE2 syntax, the whole comment). */
  record Comment(Pattern form) implements Demand {
    @Override
    public String words() {
      return "the comment fits " + form.pattern();
    }

    @Override
    public Optional<Shortfall> check(Facts facts, Instant now) {
      return unless(
          form.matches(facts.comment()),
          () -> "The comment does not fit the form " + form.pattern() + ".",
          "Give the key a comment of that form.");
    }
  }

  /** A form of the placement's title (RE2 syntax, the whole title). */
  record Title(Pattern form) implements Demand {
    @Override
    public String words() {
      return "the title fits " + form.pattern();
    }

    @Override
    public Optional<Shortfall> check(Facts facts, Instant now) {
      return atPlace(
          facts,
          place ->
              unless(
                  form.matches(place.title()),
                  () -> "The title does not fit the form " + form.pattern() + ".",
                  "Give the placement a title that says where the private key lives."));
    }
  }

  /** No other identity has the same key. */
  record OneIdentity() implements Demand {
    @Override
    public String words() {
      return "one identity alone has it";
    }

    @Override
    public Optional<Shortfall> check(Facts facts, Instant now) {
      return unless(
          facts.otherHolder().isEmpty(),
          () -> "The same key belongs to " + facts.otherHolder().orElse("") + " already.",
          "Make a key of its own for each identity.");
    }
  }

  /** The key was never taken out of use before. */
  record NeverAgain() implements Demand {
    @Override
    public String words() {
      return "it was never taken out of use before";
    }

    @Override
    public Optional<Shortfall> check(Facts facts, Instant now) {
      return unless(
          facts.withdrawnBefore().isEmpty(),
          () -> "The same key was taken out of use: " + facts.withdrawnBefore().orElse("") + ".",
          "Make a new key.");
    }
  }

  /** A limit to source addresses. */
  record SourceLimits() implements Demand {
    @Override
    public String words() {
      return "it is good from named addresses only";
    }

    @Override
    public Optional<Shortfall> check(Facts facts, Instant now) {
      return atPlace(
          facts,
          place ->
              unless(
                  !place.sources().isEmpty(),
                  () -> "The key is good from every address.",
                  "Place it with the addresses that its client has."));
    }
  }

  /** Numbers that nothing speaks against. */
  record SoundNumbers() implements Demand {
    @Override
    public String words() {
      return "its numbers are sound";
    }

    @Override
    public Optional<Shortfall> check(Facts facts, Instant now) {
      return weakness(facts, false);
    }
  }

  /** On no list of compromised keys. */
  record NotCompromised() implements Demand {
    @Override
    public String words() {
      return "it is on no list of compromised keys";
    }

    @Override
    public Optional<Shortfall> check(Facts facts, Instant now) {
      return weakness(facts, true);
    }
  }

  private static Optional<Shortfall> weakness(Facts facts, boolean compromised) {
    List<Weakness> found =
        facts.weaknesses().stream()
            .filter(w -> (w.kind() == Weakness.Kind.COMPROMISED) == compromised)
            .toList();
    return unless(
        found.isEmpty(),
        () -> "The key must not be trusted: " + found.get(0).sentence() + ".",
        "Make a new key and treat everything that this one opens as exposed.");
  }

  private static Optional<Shortfall> atPlace(
      Facts facts, java.util.function.Function<Place, Optional<Shortfall>> check) {
    return facts.place().flatMap(check);
  }

  private static Optional<Shortfall> unless(
      boolean holds, java.util.function.Supplier<String> sentence, String remedy) {
    return holds ? Optional.empty() : Optional.of(new Shortfall(sentence.get(), remedy));
  }
}
