package tolvin.standins.local;

import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.List;

/** The last lines of a log, for saying why a part failed. */
public final class Tail {
  private Tail() {}

  /** The last lines of a file; nothing if there is none. */
  public static String of(Path file, int lines) {
    try {
      return Files.exists(file)
          ? of(Files.readString(file, StandardCharsets.ISO_8859_1), lines)
          : "";
    } catch (IOException unreadable) {
      return "(" + file + " cannot be read)\n";
    }
  }

  /** The last lines of a text, indented, without the frames of stack traces. */
  public static String of(String text, int lines) {
    List<String> all =
        text.lines()
            .filter(line -> !line.isBlank())
            .filter(line -> !line.startsWith("\tat ") && !line.startsWith("\t... "))
            .toList();
    StringBuilder tail = new StringBuilder();
    all.subList(Math.max(0, all.size() - lines), all.size())
        .forEach(line -> tail.append("    ").append(line).append('\n'));
    return tail.toString();
  }
}
