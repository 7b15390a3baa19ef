package tolvin.core.sweep;

import java.util.ArrayList;
import java.util.List;
import java.util.Locale;
import java.util.function.Function;
import java.util.regex.Pattern;
import java.util.stream.Stream;

/**
 * The doors that an OpenSSH server's configuration opens besides the entries of an account
 * (sshd_config(5)): authorities for certificates, commands that give keys, second key files. Lines
 * behind {@code Match} are told of with their condition.
 */
public final class ServerConfiguration {
  private static final int DEEPEST = 8;
  private static final Pattern BLANKS = Pattern.compile("\\s*=\\s*|\\s+");

  private final Function<String, List<String>> included;
  private final List<String> known;
  private final List<Seen.Door> doors = new ArrayList<>();

  private ServerConfiguration(Function<String, List<String>> included, List<String> known) {
    this.included = included;
    this.known = known;
  }

  /**
   * The doors.
   *
   * @param text the configuration
   * @param included the files that an Include names, in order; a pattern may name several
   * @param known the files of an account's keys that are read; one that lies below its home
   *     directory may be named from there
   */
  public static List<Seen.Door> doors(
      String text, Function<String, List<String>> included, List<String> known) {
    ServerConfiguration configuration = new ServerConfiguration(included, known);
    configuration.read(text, "", 0);
    return configuration.doors;
  }

  private void read(String text, String outer, int depth) {
    String condition = outer;
    for (String raw : text.lines().toList()) {
      String line = raw.strip();
      if (line.isEmpty() || line.startsWith("#")) {
        continue;
      }
      String[] words = BLANKS.split(line, 2);
      String value = words.length < 2 ? "" : words[1].strip();
      String shown = line + condition;
      switch (words[0].toLowerCase(Locale.ROOT)) {
        case "match" -> condition = " (where " + value + ")";
        case "include" -> {
          for (String file : value.split("\\s+")) {
            if (depth < DEEPEST) {
              for (String content : included.apply(file)) {
                read(content, condition, depth + 1);
              }
            }
          }
        }
        case "trustedusercakeys" -> door(FindingKind.AUTHORITY, value, shown);
        case "authorizedkeyscommand", "authorizedprincipalscommand" ->
            door(FindingKind.KEY_COMMAND, value, shown);
        case "authorizedkeysfile" -> {
          if (!Stream.of(value.split("\\s+")).allMatch(this::isKnown)) {
            door(FindingKind.SECOND_FILE, value, shown);
          }
        }
        default -> {
          // says nothing of keys
        }
      }
    }
  }

  /**
   * Whether a file of keys is one of those that are read anyway: {@code %h} is the account's home
   * directory, from which a relative path begins, {@code %u} its name and {@code %U} its number
   * (sshd_config(5), TOKENS).
   */
  private boolean isKnown(String word) {
    String path = word.replace("\"", "");
    String below = path.startsWith("%h/") ? path.substring(3) : path;
    String pattern =
        ("\\Q" + below + "\\E").replaceAll("%[uU]", "\\\\E[^/]+\\\\Q").replace("%%", "%");
    String whole = below.startsWith("/") ? pattern : "(?:.*/)?" + pattern;
    return known.stream().anyMatch(file -> file.matches(whole));
  }

  private void door(FindingKind kind, String value, String line) {
    if (!value.equalsIgnoreCase("none") && !value.isEmpty()) {
      doors.add(new Seen.Door(kind, line));
    }
  }
}
