package tolvin.standins.local;

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
