package tolvin.standins.local;

import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Duration;
import java.util.ArrayList;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Set;
import java.util.stream.Collectors;

/** How local servers come to an end: with all that they started, and not before it is true. */
public final class Processes {
  private static final Duration PATIENCE = Duration.ofSeconds(10);

  private Processes() {}

  /**
   * Ends a process and all that it started. It is made to stand still first, and what it started as
   * well, so that none of them starts another while it is counted: a server whose clients come
   * again at once would otherwise leave one that serves them. When this returns none of them writes
   * into its directory any more.
   */
  public static void end(Process process) {
    Set<ProcessHandle> still = new LinkedHashSet<>();
    for (Set<ProcessHandle> seen = Set.of(process.toHandle());
        still.addAll(seen);
        seen = process.descendants().collect(Collectors.toSet())) {
      suspend(seen);
    }
    still.forEach(ProcessHandle::destroyForcibly);
    Ports.await(
        "the end of " + still, PATIENCE, () -> still.stream().noneMatch(Processes::isRunning));
  }

  /**
   * Waits until a server that was just started listens on its port.
   *
   * @param what what it is, for the message
   * @param logs where it says why it does not
   * @throws IOException if it came to its end instead, or does not answer in time; it is ended then
   */
  static void demandStarted(String what, Process process, int port, Path... logs)
      throws IOException {
    boolean answers = false;
    try {
      Ports.await(
          what + " on port " + port,
          Duration.ofSeconds(15),
          () -> !process.isAlive() || Ports.answers(port));
      answers = process.isAlive() && Ports.answers(port);
    } finally {
      if (!answers) {
        end(process);
      }
    }
    if (!answers) {
      StringBuilder said = new StringBuilder();
      for (Path log : logs) {
        said.append(Tail.of(log, 10));
      }
      throw new IOException(
          "The " + what + " in " + logs[0].getParent() + " did not start.\n" + said);
    }
  }

  /**
   * What a command says until its end, errors among it.
   *
   * @throws IOException if it fails, with that
   */
  static String said(ProcessBuilder command) throws IOException {
    Process process = command.redirectErrorStream(true).start();
    String said = new String(process.getInputStream().readAllBytes(), StandardCharsets.UTF_8);
    try {
      if (process.waitFor() != 0) {
        throw new IOException(String.join(" ", command.command()) + ": " + said);
      }
      return said;
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
      throw new IOException("interrupted", e);
    }
  }

  private static void suspend(Set<ProcessHandle> processes) {
    List<String> command = new ArrayList<>(List.of("sh", "-c", "kill -STOP \"$@\"", "kill"));
    processes.forEach(one -> command.add(Long.toString(one.pid())));
    try {
      said(new ProcessBuilder(command));
    } catch (IOException ended) {
      // one that came to its end by itself starts nothing either; the others were suspended
    }
  }

  /**
   * Whether it runs: one that ended counts as alive until its parent, or who took it over, asks.
   */
  private static boolean isRunning(ProcessHandle process) {
    try {
      String stat = Files.readString(Path.of("/proc/" + process.pid() + "/stat"));
      return process.isAlive() && !stat.substring(stat.lastIndexOf(')')).startsWith(") Z");
    } catch (IOException gone) {
      return false;
    }
  }
}
