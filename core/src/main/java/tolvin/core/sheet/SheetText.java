package tolvin.core.sheet;

import java.time.Duration;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.EnumSet;
import java.util.HashSet;
import java.util.LinkedHashMap;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.stream.Collectors;
import java.util.stream.Stream;
import org.snakeyaml.engine.v2.nodes.MappingNode;
import org.snakeyaml.engine.v2.nodes.Node;
import org.snakeyaml.engine.v2.nodes.NodeTuple;
import tolvin.core.estate.Access;
import tolvin.core.estate.Family;
import tolvin.core.estate.Purpose;
import tolvin.core.form.Form;
import tolvin.core.give.GivenOut;
import tolvin.core.key.KeyType;
import tolvin.core.pair.PrivateForm;
import tolvin.core.sheet.SystemSheet.AccountKind;
import tolvin.core.sheet.SystemSheet.Connects;
import tolvin.core.sheet.SystemSheet.SeatKind;
import tolvin.core.sheet.SystemSheet.SeatTrial;
import tolvin.core.sheet.SystemSheet.Setting;
import tolvin.core.sheet.SystemSheet.Speech;
import tolvin.core.sheet.SystemSheet.TrialWay;
import tolvin.core.word.Words;
import tolvin.core.yaml.Flaw;
import tolvin.core.yaml.YamlTree;

/**
 * Reads a system sheet from YAML 1.2 (the form is described by {@code system-sheet.schema.json}
 * beside this class). Every flaw is found in one go, each with its line; nothing unknown is passed
 * over, and a place for a value that nobody gives is a flaw.
 */
public final class SheetText {
  /** The families that a sheet may be for. */
  public static final Set<String> FAMILIES = Set.of("code_host", "warehouse", "build_system");

  private static final Set<String> WAYS = Set.of("ssh", "sftp", "git", "assertion");
  private static final Set<String> SUBJECTS = Set.of("purpose", "access", "type", "sign-in-mode");
  private static final Set<String> YES_NO = Set.of("yes", "no", "true", "false");
  private static final Set<String> OPERATIONS =
      Set.of("list", "place", "withdraw", "state", "trial", "words");

  /** What every operation of an account can use. */
  private static final Set<String> OF_ACCOUNTS = Set.of("account", "kind");

  /** What placing can use besides. */
  private static final Set<String> OF_PLACING =
      Set.of(
          "key",
          "key-type",
          "key-body",
          "key-line",
          "fingerprint",
          "md5",
          "title",
          "purpose",
          "access",
          "sources",
          "ends",
          "ends-epoch",
          "slot");

  private static final Set<String> OF_WITHDRAWING =
      Set.of(
          "reference",
          "key",
          "key-line",
          "fingerprint",
          "fingerprint-hex",
          "md5",
          "title",
          "slot",
          "purpose");

  private static final Set<String> OF_SEATS = Set.of("seat", "kind", "job");
  private static final Set<String> OF_SUPPLYING =
      Set.of("key", "key-line", "fingerprint", "fingerprint-hex", "sealed-private-half");
  private static final Set<String> OF_TRIALS =
      Set.of(
          "account",
          "kind",
          "fingerprint",
          "fingerprint-hex",
          "md5",
          "spki-fingerprint",
          "reference");

  private final YamlTree tree;
  private final OperationText operations;
  private final Set<String> settings = new HashSet<>();
  private Speech speech = Speech.HTTP;

  private SheetText(YamlTree tree) {
    this.tree = tree;
    this.operations = new OperationText(tree);
  }

  /**
   * What was read.
   *
   * @param sheet the sheet; absent if there are flaws
   * @param flaws in the order of their lines
   */
  public record Parsed(Optional<SystemSheet> sheet, List<Flaw> flaws) {}

  /** Reads a text. Total: any text gives a sheet or flaws. */
  public static Parsed read(String text) {
    YamlTree tree = YamlTree.of(text, "sheet: 1");
    SheetText reader = new SheetText(tree);
    Optional<SystemSheet> sheet = tree.root().map(reader::sheet);
    return tree.flaws().isEmpty()
        ? new Parsed(sheet, List.of())
        : new Parsed(Optional.empty(), tree.flaws());
  }

  private SystemSheet sheet(Node root) {
    Map<String, Node> parts =
        tree.map(
            root,
            Set.of("sheet", "system", "family", "speaks"),
            Set.of(
                "about",
                "settings",
                "connects",
                "accounts",
                "seats",
                "health",
                "answers",
                "connector"));
    if (parts.containsKey("sheet")) {
      tree.number(parts.get("sheet"), 1, 1);
    }
    speech =
        switch (String.valueOf(
            tree.word(parts.get("speaks"), Set.of("http", "sql", "connector")))) {
          case "sql" -> Speech.SQL;
          case "connector" -> Speech.CONNECTOR;
          default -> Speech.HTTP;
        };
    if (speech == Speech.CONNECTOR != parts.containsKey("connector")) {
      tree.flaw(root, "“connector: NAME” goes together with “speaks: connector”.");
    }
    Map<String, Setting> said = settings(parts.get("settings"));
    settings.addAll(said.keySet());
    List<Meaning> meanings = operations.meanings(parts.get("answers"), speech);
    Map<String, AccountKind> accounts = new LinkedHashMap<>();
    named(parts.get("accounts")).forEach((name, node) -> accounts.put(name, account(node)));
    Map<String, SeatKind> seats = new LinkedHashMap<>();
    named(parts.get("seats")).forEach((name, node) -> seats.put(name, seat(node)));
    if (accounts.isEmpty() && seats.isEmpty()) {
      tree.flaw(root, "A sheet has accounts, seats, or both.");
    }
    return new SystemSheet(
        text(parts, "system"),
        family(parts.get("family")),
        text(parts, "about"),
        speech,
        said,
        connects(parts.get("connects")),
        accounts,
        seats,
        Optional.ofNullable(parts.get("health")).map(node -> operation(node, Set.of())),
        meanings,
        Optional.ofNullable(parts.get("connector")).flatMap(tree::scalar));
  }

  private Map<String, Setting> settings(Node node) {
    Map<String, Setting> said = new LinkedHashMap<>();
    named(node)
        .forEach(
            (name, value) -> {
              Map<String, Node> parts = tree.map(value, Set.of("about"), Set.of("usual"));
              said.put(
                  name,
                  new Setting(
                      text(parts, "about"),
                      Optional.ofNullable(parts.get("usual")).flatMap(tree::scalar)));
            });
    return said;
  }

  private Connects connects(Node node) {
    if (node == null) {
      return new Connects(Connects.With.NOTHING, "", Template.NONE, Template.NONE, "");
    }
    Map<String, Node> parts =
        tree.map(node, Set.of("with"), Set.of("header", "value", "tokens", "scope"));
    String word =
        tree.word(parts.get("with"), Set.of("nothing", "token", "basic", "certificate", "oauth2"));
    Connects.With with =
        Stream.of(Connects.With.values())
            .filter(w -> w.name().toLowerCase(Locale.ROOT).equals(word))
            .findFirst()
            .orElse(Connects.With.NOTHING);
    String header = parts.containsKey("header") ? text(parts, "header") : "Authorization";
    Template value =
        parts.containsKey("value")
            ? operations.template(parts.get("value"), Set.of("secret"), false)
            : new Template("Bearer {secret}");
    Template tokens =
        parts.containsKey("tokens")
            ? operations.template(parts.get("tokens"), Set.of(), true)
            : Template.NONE;
    if (with == Connects.With.OAUTH2 && tokens.text().isEmpty()) {
      tree.flaw(node, "“tokens”, the path of the token endpoint, is missing.");
    }
    if (speech == Speech.SQL && with != Connects.With.BASIC) {
      tree.flaw(node, "A database is connected to with user and password: basic.");
    }
    return new Connects(with, header, value, tokens, text(parts, "scope"));
  }

  private AccountKind account(Node node) {
    boolean own = speech == Speech.CONNECTOR;
    Set<String> needed = own ? Set.of("can") : Set.of("can", "list", "place", "withdraw");
    Set<String> others = new HashSet<>(OPERATIONS);
    others.removeAll(needed);
    Map<String, Node> parts = tree.map(node, needed, others);
    Optional<Operation> list = operation(parts, "list", OF_ACCOUNTS);
    if (list.isPresent() && list.get().entries().isEmpty()) {
      tree.flaw(
          parts.get("list"), "“key” is missing: where a registered key stands in the answer.");
    }
    return new AccountKind(
        ability(parts.get("can"), node),
        words(parts.get("words")),
        list,
        operation(parts, "place", OperationText.with(OF_ACCOUNTS, OF_PLACING)),
        operation(parts, "withdraw", OperationText.with(OF_ACCOUNTS, OF_WITHDRAWING)),
        operation(parts, "state", OF_ACCOUNTS),
        Optional.ofNullable(parts.get("trial")).map(this::trial));
  }

  private Ability ability(Node node, Node fallback) {
    if (node == null) {
      return null;
    }
    Map<String, Node> parts =
        tree.map(
            node,
            Set.of("slots", "types", "form"),
            Set.of(
                "rsa-least",
                "rsa-most",
                "title",
                "propagation",
                "reports-use",
                "limits",
                "purposes",
                "access"));
    List<String> names = new ArrayList<>();
    int slots = 0;
    if (parts.get("slots") instanceof org.snakeyaml.engine.v2.nodes.SequenceNode) {
      tree.list(parts.get("slots"), 100).forEach(n -> tree.scalar(n).ifPresent(names::add));
      slots = names.size();
      if (!names.stream().allMatch(n -> n.matches("[A-Za-z0-9_]{1,60}")) || slots == 0) {
        tree.flaw(parts.get("slots"), "Slots have names of letters, digits and underscores.");
      }
    } else if (parts.containsKey("slots")) {
      slots = tree.number(parts.get("slots"), 1, 100000).orElse(1);
    }
    Set<KeyType> types = EnumSet.noneOf(KeyType.class);
    for (Node item : tree.list(parts.get("types"), 20)) {
      tree.scalar(item)
          .ifPresent(
              word ->
                  KeyType.ofWord(word)
                      .ifPresentOrElse(
                          types::add,
                          () ->
                              tree.flaw(
                                  item,
                                  "Here belongs a type of key: "
                                      + Arrays.stream(KeyType.values())
                                          .map(KeyType::word)
                                          .collect(Collectors.joining(", "))
                                      + ".")));
    }
    String form =
        tree.word(
            parts.get("form"), GivenOut.FORMS.stream().map(Form::word).collect(Collectors.toSet()));
    return new Ability(
        slots,
        List.copyOf(names),
        Set.copyOf(types),
        parts.containsKey("rsa-least")
            ? tree.number(parts.get("rsa-least"), 1024, 16384).orElse(1024)
            : 1024,
        parts.containsKey("rsa-most")
            ? tree.number(parts.get("rsa-most"), 1024, 16384).orElse(16384)
            : 16384,
        Optional.ofNullable(form).flatMap(Form::ofWord).orElse(Form.ONE_LINE),
        Optional.ofNullable(parts.get("title")).map(this::title),
        duration(parts.get("propagation"), Duration.ZERO),
        Optional.ofNullable(parts.get("reports-use")).map(n -> duration(n, Duration.ZERO)),
        choices(parts.get("limits"), Set.of("sources", "end"), Set.of()),
        constants(parts.get("purposes"), Purpose.class, Purpose.SIGN_IN),
        constants(parts.get("access"), Access.class, Access.WRITE));
  }

  private Ability.Title title(Node node) {
    Map<String, Node> parts = tree.map(node, Set.of("longest"), Set.of("pattern", "mark"));
    int longest =
        parts.containsKey("longest") ? tree.number(parts.get("longest"), 1, 10000).orElse(1) : 1;
    String pattern = text(parts, "pattern");
    try {
      com.google.re2j.Pattern.compile(pattern);
    } catch (com.google.re2j.PatternSyntaxException wrong) {
      tree.flaw(parts.get("pattern"), "This is no regular expression: " + wrong.getDescription());
    }
    String mark = parts.containsKey("mark") ? tree.word(parts.get("mark"), YES_NO) : "yes";
    return new Ability.Title(longest, pattern, isYes(mark));
  }

  private static boolean isYes(String word) {
    return "yes".equals(word) || "true".equals(word);
  }

  private Family family(Node node) {
    String word = tree.word(node, FAMILIES);
    return word == null ? null : Words.read(Family.class, word).orElse(null); // a flaw by then
  }

  private <E extends Enum<E>> Set<E> constants(Node node, Class<E> words, E otherwise) {
    Set<String> known = Words.all(List.of(words.getEnumConstants()));
    return choices(node, known, Set.of(Words.of(otherwise))).stream()
        .map(word -> Words.read(words, word).orElseThrow())
        .collect(Collectors.toSet());
  }

  private Set<String> choices(Node node, Set<String> known, Set<String> otherwise) {
    if (node == null) {
      return otherwise;
    }
    Set<String> chosen = new LinkedHashSet<>();
    for (Node item : tree.list(node, 10)) {
      String word = tree.word(item, known);
      if (word != null) {
        chosen.add(word);
      }
    }
    return Set.copyOf(chosen);
  }

  private Map<String, Map<String, Object>> words(Node node) {
    Map<String, Map<String, Object>> words = new LinkedHashMap<>();
    if (node == null) {
      return words;
    }
    tree.map(node, Set.of(), SUBJECTS)
        .forEach(
            (subject, list) -> {
              Map<String, Object> values = new LinkedHashMap<>();
              if (list instanceof MappingNode mapping) {
                for (NodeTuple tuple : mapping.getValue()) {
                  tree.scalar(tuple.getKeyNode())
                      .ifPresent(k -> values.put(k, operations.plain(tuple.getValueNode())));
                }
              } else {
                tree.flaw(list, "Here belong Tolvin's words with the system's behind them.");
              }
              words.put(subject, values);
            });
    return words;
  }

  private TrialWay trial(Node node) {
    Map<String, Node> parts =
        tree.map(
            node,
            Set.of("way"),
            Set.of(
                "login",
                "host",
                "target",
                "issuer",
                "subject",
                "audience",
                "key-name",
                "unhelpful"));
    String way = tree.word(parts.get("way"), WAYS);
    boolean assertion = "assertion".equals(way);
    for (String missing : assertion ? List.of("target") : List.of("host", "login")) {
      if (!parts.containsKey(missing)) {
        tree.flaw(node, "“" + missing + "” is missing.");
      }
    }
    return new TrialWay(
        String.valueOf(way),
        trialText(parts, "login", "{account}"),
        trialText(parts, "host", ""),
        trialText(parts, "target", ""),
        trialText(parts, "issuer", "{account}"),
        trialText(parts, "subject", "{account}"),
        trialText(parts, "audience", parts.containsKey("target") ? text(parts, "target") : ""),
        trialText(parts, "key-name", "{fingerprint}"),
        text(parts, "unhelpful"));
  }

  private Template trialText(Map<String, Node> parts, String name, String usual) {
    return parts.containsKey(name)
        ? operations.template(parts.get(name), OperationText.with(OF_TRIALS, settings), false)
        : new Template(usual);
  }

  private static final Set<String> PRIVATE_FORMS =
      Stream.of(PrivateForm.values()).map(Words::of).collect(Collectors.toUnmodifiableSet());

  private SeatKind seat(Node node) {
    Map<String, Node> parts =
        tree.map(
            node,
            Set.of("read", "supply"),
            Set.of("form", "keeps-former", "restore", "clear", "trial"));
    PrivateForm form =
        parts.containsKey("form")
            ? Words.read(PrivateForm.class, tree.word(parts.get("form"), PRIVATE_FORMS))
                .orElse(PrivateForm.OPENSSH)
            : PrivateForm.OPENSSH;
    boolean keeps =
        parts.containsKey("keeps-former") && isYes(tree.word(parts.get("keeps-former"), YES_NO));
    for (String pair : List.of("restore", "clear")) {
      if (keeps != parts.containsKey(pair)) {
        tree.flaw(node, "“" + pair + "” goes together with “keeps-former: yes”.");
      }
    }
    Set<String> supplying = OperationText.with(OF_SEATS, OF_SUPPLYING);
    Operation none = new Operation(List.of(), List.of(), "", Optional.empty(), List.of());
    return new SeatKind(
        form,
        keeps,
        operation(parts, "read", OF_SEATS).orElse(none),
        operation(parts, "supply", supplying).orElse(none),
        operation(parts, "restore", supplying),
        operation(parts, "clear", supplying),
        Optional.ofNullable(parts.get("trial")).map(this::seatTrial));
  }

  private SeatTrial seatTrial(Node node) {
    Map<String, Node> parts = tree.map(node, Set.of("run", "good"), Set.of("log"));
    Optional<Operation> run =
        operation(parts, "run", OperationText.with(OF_SEATS, Set.of("fingerprint")));
    if (run.isEmpty() || !parts.containsKey("good")) {
      return null;
    }
    Map<String, Node> good = tree.map(parts.get("good"), Set.of("captured", "is"), Set.of());
    String captured = text(good, "captured");
    boolean known = run.get().requests().stream().anyMatch(r -> r.captures().containsKey(captured));
    if (!known) {
      tree.flaw(parts.get("good"), "No request captures “" + captured + "”.");
    }
    List<String> is = new ArrayList<>();
    if (good.containsKey("is")) {
      tree.oneOrMore(good.get("is"), 20).forEach(n -> tree.scalar(n).ifPresent(is::add));
    }
    return new SeatTrial(run.get(), captured, List.copyOf(is), text(parts, "log"));
  }

  private Optional<Operation> operation(Map<String, Node> parts, String name, Set<String> given) {
    return Optional.ofNullable(parts.get(name)).map(node -> operation(node, given));
  }

  private Operation operation(Node node, Set<String> given) {
    return operations.read(node, OperationText.with(given, settings), speech);
  }

  /** The parts of a mapping whose names the sheet chooses. */
  private Map<String, Node> named(Node node) {
    Map<String, Node> parts = new LinkedHashMap<>();
    if (node == null) {
      return parts;
    }
    if (!(node instanceof MappingNode mapping)) {
      tree.flaw(node, "Here belong names, each with what it is.");
      return parts;
    }
    for (NodeTuple tuple : mapping.getValue()) {
      String name = tree.scalar(tuple.getKeyNode()).orElse("");
      if (!name.matches("[a-z][a-z0-9-]{0,39}")) {
        tree.flaw(tuple.getKeyNode(), "A name has lower-case letters, digits and hyphens.");
      } else if (parts.put(name, tuple.getValueNode()) != null) {
        tree.flaw(tuple.getKeyNode(), "“" + name + "” stands here twice.");
      }
    }
    return parts;
  }

  private Duration duration(Node node, Duration otherwise) {
    return node == null ? otherwise : operations.duration(node).orElse(otherwise);
  }

  private String text(Map<String, Node> parts, String name) {
    return parts.containsKey(name) ? tree.scalar(parts.get(name)).orElse("") : "";
  }
}
