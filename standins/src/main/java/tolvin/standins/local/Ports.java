package tolvin.standins.local;

import java.io.IOException;
import java.net.InetAddress;
import java.net.InetSocketAddress;
import java.net.ServerSocket;
import java.net.Socket;
import java.time.Duration;
import java.time.Instant;
import java.util.ArrayList;
import java.util.List;
import java.util.concurrent.ThreadLocalRandom;
import java.util.function.BooleanSupplier;
import java.util.stream.IntStream;

/** TCP ports on loopback, and waiting for conditions. */
public final class Ports {
  private static final int FIRST = 10_000;
  private static final int LAST = 20_000;
  private static final int TRIES = 1000;

  /** Rows of ports begin at multiples of this, above those that are given out one at a time. */
  private static final int ROW = 16;

  private static final int FIRST_ROW = LAST / ROW;
  private static final int LAST_ROW = 32_000 / ROW;

  /** Held until the process ends, so that others take other rows. */
  private static final List<ServerSocket> HELD = new ArrayList<>();

  /** Between two looks at a condition, in milliseconds. */
  private static final long SHORTEST_REST = 20;

  private static final long LONGEST_REST = 300;

  /** How many times longer than usual conditions are waited for, where much runs at once. */
  public static final int PATIENCE = Integer.getInteger("tolvin.patience", 1);

  private Ports() {}

  /**
   * A port that is free now; not one of those that the system itself gives to connections, which
   * might take it before the server that it is for.
   */
  public static int free() {
    for (int i = 0; i < TRIES; i++) {
      int port = ThreadLocalRandom.current().nextInt(FIRST, LAST);
      try (ServerSocket socket = new ServerSocket(port, 1, InetAddress.getLoopbackAddress())) {
        return socket.getLocalPort();
      } catch (IOException taken) {
        continue;
      }
    }
    throw new IllegalStateException("no port between " + FIRST + " and " + LAST + " is free");
  }

  /**
   * The first of fifteen ports in a row that are free, as an installation takes. The one behind
   * them is held until the process ends, so that whoever looks for a row beside this one takes
   * another.
   */
  public static synchronized int freeRow() {
    for (int i = 0; i < TRIES; i++) {
      int first = ThreadLocalRandom.current().nextInt(FIRST_ROW, LAST_ROW) * ROW;
      if (IntStream.range(first, first + ROW - 1).noneMatch(Ports::answers)
          && isHeld(first + ROW - 1)) {
        return first;
      }
    }
    throw new IllegalStateException("no row of ports is free");
  }

  private static boolean isHeld(int port) {
    try {
      HELD.add(new ServerSocket(port, 1, InetAddress.getLoopbackAddress()));
      return true;
    } catch (IOException taken) {
      return false;
    }
  }

  /** Whether somebody listens on a port. */
  public static boolean answers(int port) {
    try (Socket socket = new Socket()) {
      socket.connect(new InetSocketAddress(InetAddress.getLoopbackAddress(), port), 500);
      return true;
    } catch (IOException notYet) {
      return false;
    }
  }

  /**
   * Waits until a condition holds. It is looked at ever more seldom, and rests for as long as a
   * look takes at least, so that what waits takes little from what it waits for.
   *
   * @param what what is waited for, for the message
   * @throws IllegalStateException if it does not hold in time
   */
  public static void await(String what, Duration atMost, BooleanSupplier condition) {
    Instant begun = Instant.now();
    Instant end = begun.plus(atMost.multipliedBy(PATIENCE));
    Instant looked = begun;
    while (!condition.getAsBoolean()) {
      Instant now = Instant.now();
      if (now.isAfter(end)) {
        throw new IllegalStateException(
            "waited " + atMost.multipliedBy(PATIENCE).toSeconds() + " s in vain: " + what);
      }
      long look = Duration.between(looked, now).toMillis();
      long waited = Duration.between(begun, now).toMillis();
      try {
        Thread.sleep(Math.max(SHORTEST_REST, Math.min(LONGEST_REST, Math.max(look, waited / 10))));
      } catch (InterruptedException e) {
        Thread.currentThread().interrupt();
        throw new IllegalStateException("interrupted while waiting: " + what, e);
      }
      looked = Instant.now();
    }
  }
}
