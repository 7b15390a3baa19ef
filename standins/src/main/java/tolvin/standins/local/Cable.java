package tolvin.standins.local;

import java.io.IOException;
import java.io.InputStream;
import java.io.OutputStream;
import java.net.InetAddress;
import java.net.ServerSocket;
import java.net.Socket;
import java.util.Set;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.atomic.AtomicLong;
import java.util.concurrent.locks.LockSupport;

/**
 * A cable between clients and a server on loopback. It counts what goes through, may be slow, may
 * be cut in the middle of what a client sends, and may go dead without anybody noticing.
 */
public final class Cable implements AutoCloseable {
  private static final long MILLI = 1_000_000;

  private final ServerSocket door;
  private final int server;
  private final Set<Socket> plugged = ConcurrentHashMap.newKeySet();
  private final AtomicLong sent = new AtomicLong();
  private volatile long cutAt = Long.MAX_VALUE;
  private volatile long pauseMillis;
  private volatile boolean dead;

  private Cable(ServerSocket door, int server) {
    this.door = door;
    this.server = server;
  }

  /** A cable to a port on loopback. */
  public static Cable to(int server) throws IOException {
    Cable cable = new Cable(new ServerSocket(0, 50, InetAddress.getLoopbackAddress()), server);
    cable.inBackground(cable::accept);
    return cable;
  }

  /** The port that clients connect to. */
  public int port() {
    return door.getLocalPort();
  }

  /** How many bytes clients have sent so far. */
  public long sent() {
    return sent.get();
  }

  /**
   * Is cut once, when clients have sent so many bytes more; whoever connects again gets through.
   */
  public void cutAfter(long bytes) {
    cutAt = sent.get() + bytes;
  }

  /** Holds up every piece that goes through. */
  public void slow(long millis) {
    pauseMillis = millis;
  }

  /** Lets nothing through any more, and closes nothing. */
  public void die() {
    dead = true;
  }

  /** Is whole again, and quick. */
  public void mend() {
    cutAt = Long.MAX_VALUE;
    pauseMillis = 0;
    dead = false;
  }

  private void inBackground(Runnable work) {
    Thread thread = new Thread(work, "cable");
    thread.setDaemon(true);
    thread.start();
  }

  private void accept() {
    while (!door.isClosed()) {
      try {
        Socket client = door.accept();
        Socket behind = new Socket(InetAddress.getLoopbackAddress(), server);
        plugged.add(client);
        plugged.add(behind);
        inBackground(() -> pump(client, behind, true));
        inBackground(() -> pump(behind, client, false));
      } catch (IOException closed) {
        // the door was closed, or nobody is behind it: the client notices
      }
    }
  }

  private void pump(Socket from, Socket to, boolean toServer) {
    byte[] piece = new byte[4096];
    try (InputStream in = from.getInputStream();
        OutputStream out = to.getOutputStream()) {
      for (int n = in.read(piece); n >= 0; n = in.read(piece)) {
        LockSupport.parkNanos(pauseMillis * MILLI);
        while (dead && !door.isClosed()) {
          LockSupport.parkNanos(10 * MILLI);
        }
        if (toServer && sent.addAndGet(n) > cutAt) {
          int before = (int) Math.max(0, n - (sent.get() - cutAt));
          out.write(piece, 0, before);
          out.flush();
          cutAt = Long.MAX_VALUE;
          return;
        }
        out.write(piece, 0, n);
        out.flush();
      }
    } catch (IOException gone) {
      // one end is gone; so is the other
    } finally {
      close(from);
      close(to);
    }
  }

  private static void close(Socket socket) {
    try {
      socket.close();
    } catch (IOException closed) {
      // it is
    }
  }

  @Override
  public void close() throws IOException {
    door.close();
    plugged.forEach(Cable::close);
  }
}
