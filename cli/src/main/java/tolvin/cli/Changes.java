package tolvin.cli;

import java.io.PrintWriter;
import tolvin.api.rotation.SystemChangeView;

/** Shows exact changes to people. */
final class Changes {
  private Changes() {}

  /** One change, line by line. */
  static void show(PrintWriter out, SystemChangeView change) {
    out.println(change.step() + "  " + change.system());
    out.println("  in " + change.file());
    change.removed().forEach(line -> out.println("  - " + line));
    change.added().forEach(line -> out.println("  + " + line));
    if (change.kept() > 0) {
      out.println(
          "  "
              + (change.kept() == 1
                  ? "1 other line stays as it is"
                  : change.kept() + " other lines stay as they are")
              + ", byte for byte");
    }
  }
}
