package tolvin.core.rulebook;

import com.google.re2j.Pattern;
import com.google.re2j.PatternSyntaxException;
import java.time.DateTimeException;
import java.time.Duration;
import java.time.Instant;
import java.time.LocalDate;
import java.time.ZoneOffset;
import java.util.ArrayList;
import java.util.EnumMap;
import java.util.HashSet;
import java.util.LinkedHashMap;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.function.BiFunction;
import java.util.stream.Collectors;
import java.util.stream.Stream;
import org.snakeyaml.engine.v2.nodes.Node;
import tolvin.core.estate.Access;
import tolvin.core.estate.Custody;
import tolvin.core.estate.Family;
import tolvin.core.estate.IdentityKind;
import tolvin.core.estate.Purpose;
import tolvin.core.key.Fingerprint;
import tolvin.core.key.KeyType;
import tolvin.core.key.PlainText;
import tolvin.core.rulebook.Condition.Property;
import tolvin.core.rulebook.Facts.Evidence;
import tolvin.core.rulebook.Rulebook.CadenceRule;
import tolvin.core.word.Words;
import tolvin.core.yaml.Flaw;
import tolvin.core.yaml.YamlTree;

/**
 * Reads a rulebook from YAML 1.2 (the form is described by {@code rulebook.schema.json} beside this
 * class). Every flaw is found in one go, each with its line; nothing unknown is passed over.
 */
public final class RulebookText {
  private static final int MOST_RULES = 1000;
  private static final int MOST_TEXT = 1000;
  private static final Duration SHORTEST = Duration.ofSeconds(10);

  /** Every demand by its name in the text. */
  private static final Map<String, BiFunction<RulebookText, Node, Demand>> DEMANDS = demands();

  private final YamlTree tree;

  private RulebookText(YamlTree tree) {
    this.tree = tree;
  }

  /**
   * What was read.
   *
   * @param rulebook the rulebook; absent if there are flaws
   * @param flaws in the order of their lines
   */
  public record Parsed(Optional<Rulebook> rulebook, List<Flaw> flaws) {}

  /** Reads a text. Total: any text gives a rulebook or flaws. */
  public static Parsed read(String text) {
    YamlTree tree = YamlTree.of(text, "rulebook: 1");
    RulebookText reader = new RulebookText(tree);
    Optional<Rulebook> rulebook = tree.root().map(reader::rulebook);
    return tree.flaws().isEmpty()
        ? new Parsed(rulebook, List.of())
        : new Parsed(Optional.empty(), tree.flaws());
  }

  /** The names of all demands, for the schema. */
  static Set<String> demandNames() {
    return DEMANDS.keySet();
  }

  private Rulebook rulebook(Node root) {
    Map<String, Node> parts =
        tree.map(root, Set.of("rulebook"), Set.of("rules", "exceptions", "cadences"));
    Node version = parts.get("rulebook");
    if (version != null && tree.number(version, 1, 1).isEmpty()) {
      return new Rulebook(List.of(), List.of(), List.of());
    }
    Set<Integer> numbers = new HashSet<>();
    List<Rule> rules = new ArrayList<>();
    for (Node item : tree.list(parts.get("rules"), MOST_RULES)) {
      Rule rule = rule(item);
      unique(numbers, rule.number(), item);
      rules.add(rule);
    }
    Set<Integer> quotable = Set.copyOf(numbers);
    List<RuleException> exceptions = new ArrayList<>();
    for (Node item : tree.list(parts.get("exceptions"), MOST_RULES)) {
      exceptions.add(exception(item, quotable));
    }
    List<CadenceRule> cadences = new ArrayList<>();
    for (Node item : tree.list(parts.get("cadences"), MOST_RULES)) {
      CadenceRule cadence = cadence(item);
      unique(numbers, cadence.number(), item);
      cadences.add(cadence);
    }
    return new Rulebook(List.copyOf(rules), List.copyOf(exceptions), List.copyOf(cadences));
  }

  private void unique(Set<Integer> numbers, int number, Node item) {
    if (number > 0 && !numbers.add(number)) {
      tree.flaw(item, "There is a rule " + number + " already; give each its own number.");
    }
  }

  private Rule rule(Node item) {
    Map<String, Node> parts =
        tree.map(item, Set.of("number", "name", "because", "demand", "otherwise"), Set.of("when"));
    List<Demand> demands = new ArrayList<>();
    if (parts.containsKey("demand")) {
      Map<String, Node> wanted = tree.map(parts.get("demand"), Set.of(), DEMANDS.keySet());
      if (wanted.isEmpty()) {
        tree.flaw(parts.get("demand"), "A rule demands something; name at least one demand.");
      }
      wanted.forEach((name, value) -> demands.add(DEMANDS.get(name).apply(this, value)));
    }
    Condition when = parts.containsKey("when") ? condition(parts.get("when")) : Condition.ALWAYS;
    return new Rule(
        ruleNumber(parts.get("number")),
        text(parts.get("name")),
        text(parts.get("because")),
        when,
        List.copyOf(demands),
        "refuse".equals(tree.word(parts.get("otherwise"), Set.of("refuse", "warn"))));
  }

  private Condition condition(Node node) {
    Map<String, Property> names = new LinkedHashMap<>();
    for (Property property : Property.values()) {
      names.put(Words.of(property), property);
    }
    Map<Property, Set<String>> values = new EnumMap<>(Property.class);
    tree.map(node, Set.of(), names.keySet())
        .forEach(
            (name, value) -> {
              Set<String> allowed = words(names.get(name));
              Set<String> listed = new LinkedHashSet<>();
              for (Node one : tree.oneOrMore(value, MOST_RULES)) {
                String word = allowed.isEmpty() ? text(one) : tree.word(one, allowed);
                listed.add(allowed.isEmpty() || word == null ? word : word.replace('_', '-'));
              }
              values.put(names.get(name), Set.copyOf(listed));
            });
    return new Condition(Map.copyOf(values));
  }

  /** The words that a property can have; none if any text can stand there. */
  private static Set<String> words(Property property) {
    return switch (property) {
      case IDENTITY_KIND -> words(IdentityKind.class);
      case FAMILY -> words(Family.class);
      case PURPOSE -> words(Purpose.class);
      case ACCESS -> words(Access.class);
      case CUSTODY -> words(Custody.class);
      case IDENTITY, TEAM, DESTINATION -> Set.of();
    };
  }

  /** The words of an enumeration; those of two parts with a hyphen or with an underscore. */
  private static Set<String> words(Class<? extends Enum<?>> constants) {
    return Stream.of(constants.getEnumConstants())
        .map(Words::of)
        .flatMap(word -> Stream.of(word, word.replace('-', '_')))
        .collect(Collectors.toSet());
  }

  private static Map<String, BiFunction<RulebookText, Node, Demand>> demands() {
    Map<String, BiFunction<RulebookText, Node, Demand>> all = new LinkedHashMap<>();
    all.put("type", (reader, node) -> new Demand.Types(reader.types(node)));
    all.put("rsa-bits", (reader, node) -> new Demand.RsaBits(reader.number(node, 1024, 16384)));
    all.put(
        "rsa-exponent",
        (reader, node) -> new Demand.RsaExponent(reader.number(node, 3, Integer.MAX_VALUE)));
    all.put("hardware", flag(new Demand.Hardware()));
    all.put("user-verification", flag(new Demand.Proven(Evidence.USER_VERIFICATION)));
    all.put("possession-proof", flag(new Demand.Proven(Evidence.POSSESSION)));
    all.put("passphrase", flag(new Demand.Passphrase()));
    all.put("attestation", flag(new Demand.Proven(Evidence.ATTESTATION)));
    all.put("age", (reader, node) -> new Demand.Age(reader.duration(node, SHORTEST)));
    all.put("expiry", (reader, node) -> new Demand.Expiry(reader.duration(node, SHORTEST)));
    all.put("comment", (reader, node) -> new Demand.Comment(reader.pattern(node)));
    all.put("title", (reader, node) -> new Demand.Title(reader.pattern(node)));
    all.put("one-identity", flag(new Demand.OneIdentity()));
    all.put("never-again", flag(new Demand.NeverAgain()));
    all.put("source-limits", flag(new Demand.SourceLimits()));
    all.put("sound-numbers", flag(new Demand.SoundNumbers()));
    all.put("not-compromised", flag(new Demand.NotCompromised()));
    return all;
  }

  private static BiFunction<RulebookText, Node, Demand> flag(Demand demand) {
    return (reader, node) -> {
      reader.tree.word(node, Set.of("true"));
      return demand;
    };
  }

  private Set<KeyType> types(Node node) {
    Set<KeyType> types = new LinkedHashSet<>();
    for (Node one : tree.oneOrMore(node, KeyType.values().length)) {
      Optional<KeyType> type = tree.scalar(one).flatMap(KeyType::ofWord);
      type.ifPresentOrElse(
          types::add,
          () -> tree.flaw(one, "This is no type word of a key, such as ssh-ed25519 or ssh-rsa."));
    }
    return Set.copyOf(types);
  }

  private RuleException exception(Node item, Set<Integer> rules) {
    Map<String, Node> parts =
        tree.map(item, Set.of("rule", "reason", "owner", "until"), Set.of("key", "identity"));
    int rule = ruleNumber(parts.get("rule"));
    if (rule > 0 && !rules.contains(rule)) {
      tree.flaw(parts.get("rule"), "There is no rule " + rule + " to except from.");
    }
    if (parts.containsKey("key") == parts.containsKey("identity")) {
      tree.flaw(item, "An exception is for a key or for an identity: name one of the two.");
    }
    Optional<String> key = Optional.ofNullable(parts.get("key")).flatMap(tree::scalar);
    if (key.isPresent() && !isFingerprint(key.get())) {
      tree.flaw(parts.get("key"), "This is no SHA-256 fingerprint (SHA256: and 43 characters).");
    }
    return new RuleException(
        rule,
        key,
        Optional.ofNullable(parts.get("identity")).map(this::text),
        text(parts.get("reason")),
        text(parts.get("owner")),
        moment(parts.get("until")));
  }

  private static boolean isFingerprint(String text) {
    try {
      return new Fingerprint(text).value().equals(text);
    } catch (IllegalArgumentException no) {
      return false;
    }
  }

  private CadenceRule cadence(Node item) {
    Map<String, Node> parts =
        tree.map(
            item,
            Set.of("number", "name", "every", "lead", "watch"),
            Set.of("identity-kind", "identity"));
    Duration every = duration(parts.get("every"), SHORTEST);
    Duration lead = duration(parts.get("lead"), Duration.ZERO);
    if (lead.compareTo(every) >= 0 && parts.containsKey("lead")) {
      tree.flaw(parts.get("lead"), "The lead time is not shorter than the cadence.");
    }
    return new CadenceRule(
        ruleNumber(parts.get("number")),
        text(parts.get("name")),
        Optional.ofNullable(parts.get("identity-kind"))
            .map(node -> tree.word(node, words(Property.IDENTITY_KIND)))
            .flatMap(word -> Words.read(IdentityKind.class, word)),
        Optional.ofNullable(parts.get("identity")).map(this::text),
        every,
        lead,
        duration(parts.get("watch"), Duration.ZERO));
  }

  private int ruleNumber(Node node) {
    return node == null ? 0 : number(node, 1, 9999);
  }

  private int number(Node node, int least, int most) {
    return tree.number(node, least, most).orElse(0);
  }

  private String text(Node node) {
    Optional<String> value = node == null ? Optional.empty() : tree.scalar(node);
    if (value.isPresent()
        && (value.get().isBlank()
            || value.get().length() > MOST_TEXT
            || !PlainText.isPlain(value.get()))) {
      tree.flaw(node, "This must be one line of plain text, at most 1000 characters.");
    }
    return value.orElse("").strip();
  }

  private Pattern pattern(Node node) {
    try {
      return Pattern.compile(text(node));
    } catch (PatternSyntaxException wrong) {
      tree.flaw(node, "This is no pattern in RE2 syntax: " + wrong.getDescription() + ".");
      return Pattern.compile("");
    }
  }

  private Duration duration(Node node, Duration least) {
    if (node == null) {
      return Duration.ZERO;
    }
    try {
      Duration duration = Duration.parse(tree.scalar(node).orElse(""));
      if (duration.compareTo(least) >= 0 && duration.compareTo(Duration.ofDays(36500)) < 0) {
        return duration;
      }
    } catch (DateTimeException | ArithmeticException notOne) {
      // said below
    }
    tree.flaw(node, "This is no duration of at least " + least + ", such as P90D or PT5M.");
    return Duration.ofDays(36500); // so that no second flaw follows from the first
  }

  /** A day, which ends with it, or a moment with its zone. */
  private Instant moment(Node node) {
    String text = node == null ? "" : tree.scalar(node).orElse("");
    try {
      return text.length() == 10
          ? LocalDate.parse(text).plusDays(1).atStartOfDay(ZoneOffset.UTC).toInstant()
          : Instant.parse(text);
    } catch (DateTimeException notOne) {
      if (node != null) {
        tree.flaw(node, "This is no day such as 2027-03-31, nor a moment in ISO 8601.");
      }
      return Instant.EPOCH;
    }
  }
}
