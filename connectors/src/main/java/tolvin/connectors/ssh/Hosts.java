package tolvin.connectors.ssh;

import java.time.Duration;
import java.time.Instant;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.ScheduledExecutorService;
import java.util.concurrent.ScheduledThreadPoolExecutor;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.atomic.AtomicBoolean;
import tolvin.core.port.Login;
import tolvin.core.port.PortException;
import tolvin.core.port.PortException.Kind;

/**
 * Which hosts answer. Every piece of work on a host has a time limit, at which its connection is
 * ended. A host that let one run out is set aside: it is tried again by one worker at a time, after
 * pauses that grow, while all others go on elsewhere.
 *
 * <pre>
 *   answers ──work ran out of time──▶ set aside ──pause is over──▶ one tries
 *      ▲                                  ▲                        │      │
 *      └───────────── it answered ────────┼────────────────────────┘      │
 *                                         └────────── ran out again ──────┘
 * </pre>
 */
public final class Hosts implements AutoCloseable {
  private static final Duration FIRST_PAUSE = Duration.ofSeconds(5);
  private static final Duration LONGEST_PAUSE = Duration.ofMinutes(5);

  /** How many pieces of work may run on one host at once. */
  private static final int MOST_AT_ONE = 8;

  private final Duration limit;
  private final Map<Address, State> states = new ConcurrentHashMap<>();
  private final ScheduledExecutorService timer;

  private record Address(String host, int port) {}

  /** A piece of work under way. */
  private static final class Work {
    final long began = System.nanoTime();
    final AtomicBoolean ranOut = new AtomicBoolean();
  }

  /** What is known of one host; guarded by itself. */
  private static final class State {
    final String name;
    final List<Work> under = new ArrayList<>();
    int ranOut;
    long againAt;
    Instant againSays;

    State(String name) {
      this.name = name;
    }
  }

  /**
   * A host that is set aside, or on which something takes long.
   *
   * @param host its name
   * @param work how many pieces of work wait there for longer than is usual
   * @param since how long the oldest piece of work there has been running; zero if none is
   * @param againAt when a host that did not answer is tried again; empty if it is not set aside
   */
  public record Silent(String host, int work, Duration since, Optional<Instant> againAt) {}

  /**
   * None known yet.
   *
   * @param limit how long one piece of work may take
   */
  Hosts(Duration limit) {
    this.limit = limit;
    ScheduledThreadPoolExecutor threads =
        new ScheduledThreadPoolExecutor(
            1,
            task -> {
              Thread thread = new Thread(task, "host-limits");
              thread.setDaemon(true);
              return thread;
            });
    threads.setRemoveOnCancelPolicy(true);
    timer = threads;
  }

  /** How long one piece of work may take. */
  Duration limit() {
    return limit;
  }

  /** What is done on a host. */
  @FunctionalInterface
  interface Doing<T> {
    T with() throws PortException;
  }

  /**
   * Does a piece of work on a login's host within a time limit.
   *
   * @param most how long it may take
   * @param end ends its connection, so that whoever waits on it goes on
   * @throws PortException if the host is set aside, the work failed or ran out of time
   */
  <T> T within(Login login, Duration most, Runnable end, Doing<T> doing) throws PortException {
    State state =
        states.computeIfAbsent(
            new Address(login.server().host(), login.server().port()),
            a -> new State(login.server().name()));
    if (timer.isShutdown()) {
      throw new PortException(Kind.BUSY, "Tolvin is about to stop.", "It goes on when it starts.");
    }
    Work work = enter(state);
    var ending =
        timer.schedule(
            () -> {
              work.ranOut.set(true);
              end.run();
            },
            most.toMillis(),
            TimeUnit.MILLISECONDS);
    boolean answered = false;
    try {
      T result = doing.with();
      answered = true;
      return result;
    } catch (PortException e) {
      answered = !work.ranOut.get() && !isSilence(e);
      if (work.ranOut.get()) {
        throw new PortException(
            e.kind() == Kind.UNKNOWN_OUTCOME ? Kind.UNKNOWN_OUTCOME : Kind.UNREACHABLE,
            state.name + " did not answer within " + seconds(most) + ".",
            "Look whether that host hangs: a full or stuck disk, a stopped process. It is set aside"
                + " and tried again by itself.",
            e);
      }
      throw e;
    } finally {
      ending.cancel(false);
      leave(state, work, answered);
    }
  }

  private static boolean isSilence(PortException e) {
    for (Throwable cause = e; cause != null; cause = cause.getCause()) {
      if (cause instanceof java.util.concurrent.TimeoutException
          || cause instanceof java.net.SocketTimeoutException) {
        return true;
      }
    }
    return false;
  }

  private Work enter(State state) throws PortException {
    synchronized (state) {
      long now = System.nanoTime();
      boolean aside = state.ranOut > 0;
      if (aside && (now - state.againAt < 0 || !state.under.isEmpty())) {
        throw setAside(state);
      }
      boolean full = !aside && !hasRoom(state);
      boolean stuck =
          state.under.stream()
              .anyMatch(work -> System.nanoTime() - work.began > limit.toNanos() / 2);
      if (stuck || full) {
        throw new PortException(
            Kind.BUSY,
            state.name + (stuck ? " has not answered for a while." : " has enough to do just now."),
            "It is tried again by itself.");
      }
      Work work = new Work();
      state.under.add(work);
      return work;
    }
  }

  /** Waits until there is room for one more, unless something takes long there. */
  private boolean hasRoom(State state) {
    long end = System.nanoTime() + limit.toNanos() / 2;
    while (state.under.size() >= MOST_AT_ONE) {
      long left = TimeUnit.NANOSECONDS.toMillis(end - System.nanoTime());
      if (left <= 0) {
        return false;
      }
      try {
        state.wait(left);
      } catch (InterruptedException e) {
        Thread.currentThread().interrupt();
        return false;
      }
    }
    return true;
  }

  private static PortException setAside(State state) {
    return new PortException(
        Kind.UNREACHABLE,
        state.name + " does not answer; it is tried again at " + state.againSays + ".",
        "Look whether that host hangs: a full or stuck disk, a stopped process.");
  }

  private void leave(State state, Work work, boolean answered) {
    synchronized (state) {
      state.under.remove(work);
      state.notify();
      if (answered) {
        state.ranOut = 0;
      } else if (work.ranOut.get()) {
        state.ranOut++;
        Duration pause = FIRST_PAUSE.multipliedBy(1L << Math.min(state.ranOut - 1, 10));
        pause = pause.compareTo(LONGEST_PAUSE) < 0 ? pause : LONGEST_PAUSE;
        state.againAt = System.nanoTime() + pause.toNanos();
        state.againSays =
            Instant.now().plus(pause).truncatedTo(java.time.temporal.ChronoUnit.SECONDS);
      }
    }
  }

  /** The hosts that are set aside, and those on which something takes long, the longest first. */
  public List<Silent> silent() {
    List<Silent> silent = new ArrayList<>();
    for (State state : new HashMap<>(states).values()) {
      synchronized (state) {
        long now = System.nanoTime();
        List<Duration> running =
            state.under.stream().map(work -> Duration.ofNanos(now - work.began)).toList();
        Duration oldest = running.stream().max(Comparator.naturalOrder()).orElse(Duration.ZERO);
        int slow = (int) running.stream().filter(this::isLong).count();
        if (state.ranOut > 0 || slow > 0) {
          silent.add(
              new Silent(
                  state.name,
                  slow,
                  oldest,
                  state.ranOut > 0 ? Optional.ofNullable(state.againSays) : Optional.empty()));
        }
      }
    }
    silent.sort(Comparator.comparing(Silent::since).reversed());
    return silent;
  }

  private boolean isLong(Duration running) {
    return running.compareTo(limit.dividedBy(2)) > 0;
  }

  private static String seconds(Duration duration) {
    return duration.toMillis() < 10_000
        ? duration.toMillis() / 1000.0 + " s"
        : duration.toSeconds() + " s";
  }

  @Override
  public void close() {
    timer.shutdownNow();
  }
}
