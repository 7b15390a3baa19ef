package tolvin.service.people;

import jakarta.enterprise.context.ApplicationScoped;
import java.time.Duration;
import java.util.LinkedHashMap;
import java.util.Map;
import java.util.Optional;
import tolvin.service.problem.Problem;

/**
 * Slows down people who guess passwords, and nobody else: failures are counted for a name from one
 * address, and for an address, and are forgotten with time. A name alone is never locked, so that
 * nobody can keep its owner out; whether there is such a user makes no difference to any answer.
 */
@ApplicationScoped
public class SignInThrottle {
  private static final int FREE_FOR_NAME = 4;
  private static final int FREE_FOR_ADDRESS = 20;
  private static final Duration FORGOTTEN_AFTER = Duration.ofMinutes(30);
  private static final Duration LONGEST_WAIT = Duration.ofMinutes(15);

  /** Short, since a whole office may be behind one address. */
  private static final Duration LONGEST_WAIT_OF_ADDRESS = Duration.ofSeconds(20);

  private static final int MOST_KNOWN = 20_000;

  private final Map<String, Failures> known =
      new LinkedHashMap<>(64, 0.75f, true) {
        @Override
        protected boolean removeEldestEntry(Map.Entry<String, Failures> eldest) {
          return size() > MOST_KNOWN;
        }
      };

  /** How often it failed lately, when last, and until when nobody may try again; monotonic. */
  private record Failures(int count, long last, long until) {}

  /**
   * Lets somebody try.
   *
   * @throws Problem if they have to wait first
   */
  void demandTurn(String name, String address) {
    mustWait(name, address, System.nanoTime())
        .ifPresent(
            wait -> {
              throw new Problem(
                  429,
                  "too-many-failures",
                  "Too many failures",
                  "There were too many wrong passwords from here.",
                  "Wait " + Math.max(1, wait.toSeconds() + 1) + " seconds and try again.");
            });
  }

  /** How long somebody has to wait before they may try; empty if they may now. */
  private synchronized Optional<Duration> mustWait(String name, String address, long now) {
    long until =
        Math.max(until(ofName(name, address), now), until(ofAddress(address), now)); // nanoseconds
    return until - now > 0 ? Optional.of(Duration.ofNanos(until - now)) : Optional.empty();
  }

  private long until(String key, long now) {
    Failures failures = known.get(key);
    return failures == null ? now : failures.until;
  }

  /** Counts a failure. */
  synchronized void failed(String name, String address) {
    long now = System.nanoTime();
    add(ofName(name, address), FREE_FOR_NAME, LONGEST_WAIT, now);
    add(ofAddress(address), FREE_FOR_ADDRESS, LONGEST_WAIT_OF_ADDRESS, now);
  }

  /** Forgets the failures of a name from an address that is right now. */
  synchronized void succeeded(String name, String address) {
    known.remove(ofName(name, address));
  }

  private void add(String key, int free, Duration longest, long now) {
    Failures before = known.get(key);
    boolean forgotten = before == null || now - before.last > FORGOTTEN_AFTER.toNanos();
    int count = forgotten ? 1 : before.count + 1;
    Duration wait =
        count <= free ? Duration.ZERO : Duration.ofSeconds(1L << Math.min(count - free, 10));
    long nanos = (wait.compareTo(longest) < 0 ? wait : longest).toNanos();
    known.put(key, new Failures(count, now, now + nanos));
  }

  private static String ofName(String name, String address) {
    return address + "\n" + (name.length() > 200 ? name.substring(0, 200) : name);
  }

  private static String ofAddress(String address) {
    return address;
  }
}
