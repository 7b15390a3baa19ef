package tolvin.core.authorized;

import java.time.DateTimeException;
import java.time.Instant;
import java.time.LocalDateTime;
import java.time.ZoneOffset;
import java.time.format.DateTimeFormatter;
import java.time.format.ResolverStyle;
import java.util.ArrayList;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.regex.Pattern;
import tolvin.core.key.PlainText;
import tolvin.core.key.Refusal.Reason;
import tolvin.core.key.RefusedException;

/**
 * The options before a key in {@code authorized_keys} (sshd(8), AUTHORIZED_KEYS FILE FORMAT). A
 * server ignores a line with an option that it does not know, without a word to the client; so what
 * is not documented is refused here.
 *
 * @param all the options in their order
 */
public record KeyOptions(List<Option> all) {
  /** No options. */
  public static final KeyOptions NONE = new KeyOptions(List.of());

  private static final Set<String> FLAGS =
      Set.of(
          "agent-forwarding",
          "cert-authority",
          "no-agent-forwarding",
          "no-port-forwarding",
          "no-pty",
          "no-touch-required",
          "no-user-rc",
          "no-x11-forwarding",
          "port-forwarding",
          "pty",
          "restrict",
          "user-rc",
          "verify-required",
          "x11-forwarding");

  /** Options with a value, and the form that it has. */
  private static final Map<String, Pattern> VALUES =
      Map.of(
          "command", Pattern.compile("(?s).*"),
          "environment", Pattern.compile("[A-Za-z0-9_]+=(?s).*"),
          "expiry-time", Pattern.compile("\\d{8}(\\d{4}(\\d{2})?)?[Zz]?"),
          "from", Pattern.compile("[^\\s\"]+"),
          "permitlisten", Pattern.compile("(\\S+:)?(\\d{1,5}|\\*)"),
          "permitopen", Pattern.compile("\\S+:(\\d{1,5}|\\*)"),
          "principals", Pattern.compile("[^\\s\"]+"),
          "tunnel", Pattern.compile("\\d{1,9}"));

  private static final DateTimeFormatter MOMENT =
      DateTimeFormatter.ofPattern("uuuuMMddHHmmss").withResolverStyle(ResolverStyle.STRICT);

  /** Options that a server takes only once. */
  private static final Set<String> ONCE =
      Set.of("command", "from", "principals", "tunnel", "expiry-time");

  /**
   * One option.
   *
   * @param name its name in lower case
   * @param value its value without quotes and escapes; absent for a flag
   */
  public record Option(String name, Optional<String> value) {
    @Override
    public String toString() {
      return value.map(v -> name + "=\"" + v.replace("\"", "\\\"") + '"').orElse(name);
    }
  }

  /**
   * Reads options.
   *
   * @param text what stands before the key, without blanks around it
   * @throws RefusedException with the offset of what the server would not take
   */
  public static KeyOptions read(String text) throws RefusedException {
    List<Option> options = new ArrayList<>();
    Set<String> seen = new LinkedHashSet<>();
    int at = 0;
    while (at < text.length()) {
      int start = at;
      while (at < text.length() && isNameCharacter(text.charAt(at))) {
        at++;
      }
      String name = text.substring(start, at).toLowerCase(Locale.ROOT);
      Optional<String> value = Optional.empty();
      if (at < text.length() && text.charAt(at) == '=') {
        StringBuilder read = new StringBuilder();
        at = quoted(text, at + 1, read);
        value = Optional.of(read.toString());
      }
      check(name, value, start);
      if (!seen.add(name) && ONCE.contains(name)) {
        throw refused("The option " + name + " stands there twice.", start);
      }
      options.add(new Option(name, value));
      if (at < text.length()) {
        if (text.charAt(at) != ',' || at + 1 == text.length()) {
          throw refused("Behind the option " + name + " no comma and next option follow.", at);
        }
        at++;
      }
    }
    ServerOptions server = ServerOptions.read(text, 0);
    if (server.fault().isPresent() || server.isDoubtful()) {
      throw refused(
          server.fault().orElse("Only some servers know such an option; others ignore the line."),
          0);
    }
    return new KeyOptions(List.copyOf(options));
  }

  private static int quoted(String text, int from, StringBuilder value) throws RefusedException {
    int at = from;
    if (at >= text.length() || text.charAt(at) != '"') {
      throw refused("The option's value does not stand in double quotes.", at);
    }
    for (at++; at < text.length(); at++) {
      char c = text.charAt(at);
      if (c == '"') {
        return at + 1;
      }
      if (c == '\\' && at + 1 < text.length() && text.charAt(at + 1) == '"') {
        at++;
        value.append('"');
      } else {
        value.append(c);
      }
    }
    throw refused("The option's value has no closing quote.", from);
  }

  private static void check(String name, Optional<String> value, int at) throws RefusedException {
    Pattern form = VALUES.get(name);
    if (form == null && !FLAGS.contains(name)) {
      String shown = PlainText.isPlain(name) && name.length() < 40 ? " “" + name + "”" : "";
      throw refused("There is no option" + shown + "; the server would ignore the line.", at);
    }
    if (value.isPresent() != (form != null)) {
      throw refused(
          "The option " + name + (form == null ? " takes no value." : " needs a value."), at);
    }
    if (form != null && !form.matcher(value.get()).matches()) {
      throw refused("The value of " + name + " is not of the form that it takes.", at);
    }
    if (name.equals("expiry-time")) {
      checkMoment(value.get(), at);
    }
  }

  /** The value of an option that is there once. */
  public Optional<String> value(String name) {
    return all.stream()
        .filter(option -> option.name().equals(name))
        .findFirst()
        .flatMap(Option::value);
  }

  /**
   * When the server stops accepting the line by itself (expiry-time); a time without a zone is the
   * server's local time, taken as UTC since its zone is not known.
   */
  public Optional<Instant> end() {
    return value("expiry-time").map(KeyOptions::moment);
  }

  /** The moment that a value of expiry-time names. */
  public static Instant moment(String text) {
    String digits = text.replaceAll("[^0-9]", "");
    return LocalDateTime.parse((digits + "000000").substring(0, 14), MOMENT)
        .toInstant(ZoneOffset.UTC);
  }

  /**
   * Where the options at the head of a line end: the first blank outside quotes; a backslash
   * escapes a quote.
   *
   * @param line the line; only ASCII matters in it
   * @param start where the options begin
   */
  public static int endOf(CharSequence line, int start) {
    boolean quoted = false;
    int at = start;
    while (at < line.length() && (quoted || line.charAt(at) != ' ' && line.charAt(at) != '\t')) {
      if (line.charAt(at) == '\\' && at + 1 < line.length() && line.charAt(at + 1) == '"') {
        at++;
      } else if (line.charAt(at) == '"') {
        quoted = !quoted;
      }
      at++;
    }
    return at;
  }

  private static void checkMoment(String text, int at) throws RefusedException {
    boolean utc = text.endsWith("Z") || text.endsWith("z");
    String digits = utc ? text.substring(0, text.length() - 1) : text;
    try {
      LocalDateTime.parse((digits + "000000").substring(0, 14), MOMENT);
    } catch (DateTimeException noSuchTime) {
      throw refused("The value of expiry-time is no date that exists.", at);
    }
  }

  /** The options as they stand in a line; empty text for none. */
  @Override
  public String toString() {
    return String.join(",", all.stream().map(Option::toString).toList());
  }

  private static boolean isNameCharacter(char c) {
    return c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z' || c >= '0' && c <= '9' || c == '-';
  }

  private static RefusedException refused(String sentence, int position) {
    return new RefusedException(
        Reason.BAD_OPTION,
        sentence,
        "Compare it with the options in sshd(8); until it is right, the key signs nobody in.",
        position);
  }
}
