package tolvin.service.people;

import io.quarkus.elytron.security.common.BcryptUtil;
import jakarta.enterprise.context.ApplicationScoped;
import java.nio.charset.StandardCharsets;
import java.time.Duration;
import java.util.Optional;
import java.util.concurrent.Semaphore;
import java.util.concurrent.TimeUnit;
import java.util.function.Supplier;
import tolvin.service.problem.Problem;
import tolvin.service.store.ClockStore;

/**
 * Hashes passwords, a few at a time, since each takes a core for a tenth of a second; never while a
 * connection to the database is held.
 */
@ApplicationScoped
class Passwords {
  private static final int SHORTEST = 10;

  /** What bcrypt looks at. */
  private static final int LONGEST = 72;

  private static final int AT_ONCE = 2;
  private static final Duration QUEUE = Duration.ofSeconds(8);
  private static final String LETTERS = "abcdefghijkmnpqrstuvwxyz23456789";

  /** What a password is compared with when there is no such user, so that it takes as long. */
  private static final String NOBODY = BcryptUtil.bcryptHash("nobody's password");

  private final Semaphore turns = new Semaphore(AT_ONCE, true);
  private final ClockStore clock;

  Passwords(ClockStore clock) {
    this.clock = clock;
  }

  /**
   * The hash of a new password.
   *
   * @throws Problem if it is too short or too long, or there is no turn within seconds
   */
  String hash(String password) {
    int length = password == null ? 0 : password.getBytes(StandardCharsets.UTF_8).length;
    if (length < SHORTEST || length > LONGEST) {
      throw Problem.invalid(
          "The password must have 10 to 72 bytes.", "Choose another one, such as four words.");
    }
    return inTurn(() -> BcryptUtil.bcryptHash(password));
  }

  /**
   * Whether a password is right.
   *
   * @param hash of the right one; absent if there is none, which takes as long and is never right
   * @throws Problem if there is no turn within seconds
   */
  boolean isRight(String password, Optional<String> hash) {
    return inTurn(() -> BcryptUtil.matches(password, hash.orElse(NOBODY)) && hash.isPresent());
  }

  private <T> T inTurn(Supplier<T> work) {
    boolean isMyTurn;
    try {
      isMyTurn = turns.tryAcquire(QUEUE.toMillis(), TimeUnit.MILLISECONDS);
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
      isMyTurn = false;
    }
    if (!isMyTurn) {
      throw new Problem(
          429,
          "too-many-sign-ins",
          "Too many sign-ins",
          "There are too many sign-ins at once.",
          "Wait 6 seconds and try again.");
    }
    try {
      return work.get();
    } finally {
      turns.release();
    }
  }

  /** A password that can be read over the phone. */
  String words() {
    StringBuilder password = new StringBuilder();
    for (int i = 0; i < 20; i++) {
      password.append(i > 0 && i % 5 == 0 ? "-" : "");
      password.append(LETTERS.charAt(clock.random().nextInt(LETTERS.length())));
    }
    return password.toString();
  }
}
