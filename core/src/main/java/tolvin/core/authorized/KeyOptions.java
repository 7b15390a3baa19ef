package tolvin.core.authorized;

import java.time.DateTimeException;
import java.time.LocalDate;
import java.time.format.DateTimeFormatter;
import java.time.format.ResolverStyle;
import java.util.ArrayList;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Locale;
import java.util.Optional;
import java.util.Set;
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

  /** Options with a value. */
  private static final Set<String> VALUED =
      Set.of(
          "command",
          "environment",
          "expiry-time",
          "from",
          "permitlisten",
          "permitopen",
          "principals",
          "tunnel");

  /** Options whose blanks the server takes for a part of a name, which nobody means. */
  private static final Set<String> WITHOUT_BLANKS = Set.of("from", "principals", "permitopen");

  private static final DateTimeFormatter DAY =
      DateTimeFormatter.ofPattern("uuuuMMdd").withResolverStyle(ResolverStyle.STRICT);

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
          server.position());
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
    boolean isValued = VALUED.contains(name);
    if (!isValued && !FLAGS.contains(name)) {
      String shown = PlainText.isPlain(name) && name.length() < 40 ? " “" + name + "”" : "";
      throw refused("There is no option" + shown + "; the server would ignore the line.", at);
    }
    if (value.isPresent() != isValued) {
      throw refused("The option " + name + (isValued ? " needs a value." : " takes no value."), at);
    }
    if (WITHOUT_BLANKS.contains(name) && (value.get().isEmpty() || hasBlank(value.get()))) {
      throw refused("The value of " + name + " is empty, or a blank stands in it.", at);
    }
    if (name.equals("expiry-time") && !isDate(value.get())) {
      throw refused("The value of expiry-time is no date that exists.", at);
    }
  }

  /** Whether the day is in the calendar; the server would count on into the next month. */
  private static boolean isDate(String value) {
    try {
      LocalDate.parse(value.length() < 8 ? value : value.substring(0, 8), DAY);
      return true;
    } catch (DateTimeException noSuchDay) {
      return false;
    }
  }

  private static boolean hasBlank(String value) {
    return value.chars().anyMatch(Character::isWhitespace);
  }

  /** The value of an option that is there once. */
  public Optional<String> value(String name) {
    return all.stream()
        .filter(option -> option.name().equals(name))
        .findFirst()
        .flatMap(Option::value);
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
