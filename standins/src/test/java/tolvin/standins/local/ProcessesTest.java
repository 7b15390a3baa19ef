package tolvin.standins.local;

import static org.assertj.core.api.Assertions.assertThat;

import java.io.IOException;
import java.net.InetAddress;
import java.net.Socket;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.attribute.PosixFilePermissions;
import java.time.Duration;
import java.util.ArrayList;
import java.util.List;
import java.util.concurrent.atomic.AtomicBoolean;
import java.util.concurrent.atomic.AtomicInteger;
import java.util.stream.Stream;
import org.junit.jupiter.api.RepeatedTest;
import org.junit.jupiter.api.io.TempDir;

class ProcessesTest {
  /** Clients who come again the moment that they are sent away, until the door is shut. */
  @RepeatedTest(5)
  void aServerEndsWithAllThatItServes(@TempDir Path directory) throws Exception {
    Files.setPosixFilePermissions(directory, PosixFilePermissions.fromString("rwxr-xr-x"));
    AtomicBoolean isOver = new AtomicBoolean();
    AtomicInteger served = new AtomicInteger();
    List<Thread> clients = new ArrayList<>();
    try (LocalSshServer server =
        LocalSshServer.at(directory.resolve("server"), Ports.free()).start()) {
      for (int i = 0; i < 8; i++) {
        clients.add(new Thread(() -> comeAgain(server.port(), isOver, served)));
      }
      clients.forEach(Thread::start);
      Ports.await("clients are served", Duration.ofMinutes(1), () -> served.get() > 50);
    }
    List<String> left = writers(directory);
    isOver.set(true);
    for (Thread client : clients) {
      client.join();
    }
    assertThat(left).isEmpty();
  }

  private static void comeAgain(int port, AtomicBoolean isOver, AtomicInteger served) {
    while (!isOver.get()) {
      try (Socket socket = new Socket(InetAddress.getLoopbackAddress(), port)) {
        if (socket.getInputStream().read() >= 0 && served.incrementAndGet() % 3 == 0) {
          socket.getInputStream().read(new byte[1000]);
        }
      } catch (IOException sentAway) {
        Thread.onSpinWait();
      }
    }
  }

  /** The processes that hold a file open below a directory. */
  private static List<String> writers(Path directory) throws IOException {
    List<String> found = new ArrayList<>();
    try (Stream<Path> processes = Files.list(Path.of("/proc"))) {
      for (Path process : (Iterable<Path>) processes::iterator) {
        try (Stream<Path> open = Files.list(process.resolve("fd"))) {
          for (Path one : (Iterable<Path>) open::iterator) {
            if (Files.readSymbolicLink(one).startsWith(directory)) {
              found.add(one.toString());
            }
          }
        } catch (IOException | java.io.UncheckedIOException noProcess) {
          continue;
        }
      }
    }
    return found;
  }
}
