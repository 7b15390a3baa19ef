package tolvin.core.sweep;

import java.util.ArrayList;
import java.util.List;
import java.util.Locale;
import java.util.function.Function;
import java.util.regex.Pattern;

/**
 * The doors that an OpenSSH server's configuration opens besides the entries of an account
 * (sshd_config(5)): authorities for certificates, commands that give keys, second key files. Lines
 * behind {@code Match} are told of with their condition.
 */
public final class ServerConfiguration {
  private static final int DEEPEST = 8;
  private static final Pattern BLANKS = Pattern.compile("\\s*=\\s*|\\s+");

  private ServerConfiguration() {}

  /**
   * The doors.
   *
   * @param text the configuration
   * @param included the files that an Include names, in order; a pattern may name several
   */
  public static List<Seen.Door> doors(String text, Function<String, List<String>> included) {
    List<Seen.Door> doors = new ArrayList<>();
    read(text, "", included, 0, doors);
    return doors;
  }

  private static void read(
      String text,
      String outer,
      Function<String, List<String>> included,
      int depth,
      List<Seen.Door> doors) {
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
                read(content, condition, included, depth + 1, doors);
              }
            }
          }
        }
        case "trustedusercakeys" -> door(doors, FindingKind.AUTHORITY, value, shown);
        case "authorizedkeyscommand", "authorizedprincipalscommand" ->
            door(doors, FindingKind.KEY_COMMAND, value, shown);
        case "authorizedkeysfile" -> {
          if (value.split("\\s+").length > 1) {
            doors.add(new Seen.Door(FindingKind.SECOND_FILE, shown));
          }
        }
        default -> {
          // says nothing of keys
        }
      }
    }
  }

  private static void door(List<Seen.Door> doors, FindingKind kind, String value, String line) {
    if (!value.equalsIgnoreCase("none") && !value.isEmpty()) {
      doors.add(new Seen.Door(kind, line));
    }
  }
}
