package tolvin.standins.local;

import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.nio.file.Path;
import java.time.Duration;
import java.util.List;
import java.util.concurrent.CompletableFuture;
import java.util.concurrent.TimeUnit;

/** How local servers come to an end: with all that they started, and not before it is true. */
public final class Processes {
  private static final Duration PATIENCE = Duration.ofSeconds(10);

  private Processes() {}

  /**
   * Ends all that a process started, while it is there to see it, and then the process itself: by
   * asking, and by force where that took more than ten seconds. What is left when it returns has
   * been killed, so nothing writes into their directory afterwards.
   */
  public static void end(Process process) {
    end(process.descendants().toList());
    end(List.of(process.toHandle()));
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

  private static void end(List<ProcessHandle> processes) {
    processes.forEach(ProcessHandle::destroy);
    await(processes);
    if (processes.stream().anyMatch(ProcessHandle::isAlive)) {
      processes.forEach(ProcessHandle::destroyForcibly);
      await(processes);
    }
  }

  /**
   * A killed process that its parent did not ask for yet still counts as alive: so not for ever.
   */
  private static void await(List<ProcessHandle> processes) {
    CompletableFuture.allOf(
            processes.stream().map(ProcessHandle::onExit).toArray(CompletableFuture[]::new))
        .completeOnTimeout(null, PATIENCE.toSeconds(), TimeUnit.SECONDS)
        .join();
  }
}
