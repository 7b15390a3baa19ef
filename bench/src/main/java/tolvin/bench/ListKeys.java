package tolvin.bench;

import java.io.BufferedOutputStream;
import java.io.IOException;
import java.io.OutputStream;
import java.io.PrintStream;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import java.util.concurrent.Callable;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import java.util.concurrent.Future;
import tolvin.core.key.OneLine;
import tolvin.core.key.Reading;

/**
 * Lists a file of keys as OpenSSH's own listing does: bits, fingerprint, comment, type, a line
 * each.
 */
public final class ListKeys {
  private static final int CHUNK_LINES = 4000;

  private ListKeys() {}

  /** Lists the file that is named. */
  public static void main(String[] arguments) throws Exception {
    try (PrintStream out = new PrintStream(new BufferedOutputStream(System.out, 1 << 16))) {
      list(Files.readAllBytes(Path.of(arguments[0])), out);
    }
  }

  /** Lists keys on all processors, in their order; gives how many were read. */
  static int list(byte[] file, OutputStream out) throws Exception {
    ExecutorService pool = Executors.newFixedThreadPool(Runtime.getRuntime().availableProcessors());
    try {
      List<Future<String>> parts = new ArrayList<>();
      int from = 0;
      while (from < file.length) {
        int to = from;
        for (int lines = 0; to < file.length && lines < CHUNK_LINES; to++) {
          lines += file[to] == '\n' ? 1 : 0;
        }
        int begin = from;
        int end = to;
        Callable<String> part = () -> part(file, begin, end);
        parts.add(pool.submit(part));
        from = to;
      }
      int keys = 0;
      for (Future<String> part : parts) {
        byte[] text = part.get().getBytes(StandardCharsets.UTF_8);
        out.write(text);
        for (byte b : text) {
          keys += b == '\n' ? 1 : 0;
        }
      }
      return keys;
    } finally {
      pool.shutdown();
    }
  }

  private static String part(byte[] file, int from, int to) throws IOException {
    StringBuilder text = new StringBuilder((to - from) * 2);
    int at = from;
    while (at < to) {
      int end = at;
      while (end < to && file[end] != '\n') {
        end++;
      }
      if (!(OneLine.readLine(file, at, end) instanceof Reading.Key read)) {
        throw new IOException("line at byte " + at + " is no key");
      }
      text.append(read.key().bits())
          .append(' ')
          .append(read.key().fingerprintText())
          .append(' ')
          .append(read.comment())
          .append(" (")
          .append(read.key().type().label().toUpperCase(java.util.Locale.ROOT))
          .append(")\n");
      at = end + 1;
    }
    return text.toString();
  }
}
