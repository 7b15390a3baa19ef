package tolvin.cli;

import java.io.Console;
import picocli.CommandLine.Option;

/** Asks before something outside is changed. */
final class Consent {
  @Option(
      names = {"-y", "--yes"},
      description = "Do it without asking.")
  private boolean yes;

  /** Asks, and refuses unless the answer is yes. */
  void ask(String question) throws Refused {
    if (yes) {
      return;
    }
    Console console = System.console();
    if (console == null) {
      throw new Refused("Nobody can be asked here. Say --yes if it shall be done.");
    }
    String answer = console.readLine("%s [y/N] ", question);
    if (answer == null || !answer.strip().equalsIgnoreCase("y")) {
      throw new Refused("Not done.");
    }
  }
}
