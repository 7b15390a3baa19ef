package tolvin.core.intake;

import java.io.BufferedInputStream;
import java.io.ByteArrayOutputStream;
import java.io.IOException;
import java.io.InputStream;
import java.io.InputStreamReader;
import java.io.Reader;
import java.nio.charset.Charset;
import java.nio.charset.StandardCharsets;
import java.util.ArrayDeque;
import java.util.Deque;
import java.util.EnumSet;
import java.util.Set;

/**
 * The lines of a stream, one after the other, in bounded memory: what goes beyond the bound of a
 * line is read and dropped, and the line says so. Byte-order marks and UTF-16 are recognised.
 */
final class Lines {
  /** The longest line that is kept, in bytes; a set of JWKs may stand on one line. */
  static final int MAX_LINE = 8 * 1024 * 1024;

  private static final int PEEK = 256;

  private final InputStream in;
  private final Set<Correction> corrections = EnumSet.noneOf(Correction.class);
  private final Deque<Line> pushedBack = new ArrayDeque<>();
  private long number;
  private boolean skipFeed;

  /**
   * One line without its end.
   *
   * @param text as UTF-8; bytes that are none are shown as U+FFFD
   * @param number counted from 1
   * @param overlong whether it was longer than {@link #MAX_LINE}
   */
  record Line(String text, long number, boolean overlong) {}

  Lines(InputStream source) throws IOException {
    BufferedInputStream buffered = new BufferedInputStream(source, 1 << 16);
    buffered.mark(PEEK);
    byte[] head = buffered.readNBytes(PEEK);
    buffered.reset();
    Charset wide = wide(head);
    if (wide != null) {
      corrections.add(Correction.UTF_16);
      in = new Narrowed(new InputStreamReader(buffered, wide));
    } else {
      in = buffered;
    }
    if (head.length >= 3
        && (head[0] & 0xff) == 0xef
        && (head[1] & 0xff) == 0xbb
        && (head[2] & 0xff) == 0xbf) {
      corrections.add(Correction.BYTE_ORDER_MARK);
      in.skipNBytes(3);
    }
  }

  /** What had to be put right for the whole stream so far. */
  Set<Correction> corrections() {
    return corrections;
  }

  private static Charset wide(byte[] head) {
    if (head.length >= 2 && (head[0] & 0xff) == 0xff && (head[1] & 0xff) == 0xfe) {
      return StandardCharsets.UTF_16; // takes the order from the mark, and the mark away
    }
    if (head.length >= 2 && (head[0] & 0xff) == 0xfe && (head[1] & 0xff) == 0xff) {
      return StandardCharsets.UTF_16;
    }
    if (head.length >= 8 && head[1] == 0 && head[3] == 0 && head[5] == 0 && head[0] != 0) {
      return StandardCharsets.UTF_16LE;
    }
    boolean big = head.length >= 8 && head[0] == 0 && head[2] == 0 && head[4] == 0;
    return big && head[1] != 0 && head[3] != 0 ? StandardCharsets.UTF_16BE : null;
  }

  /** The next line, or null at the end. */
  Line next() throws IOException {
    if (!pushedBack.isEmpty()) {
      return pushedBack.pop();
    }
    ByteArrayOutputStream line = new ByteArrayOutputStream(128);
    boolean overlong = false;
    boolean any = false;
    while (true) {
      int c = in.read();
      if (skipFeed && c == '\n') {
        skipFeed = false;
        corrections.add(Correction.LINE_ENDS);
        continue;
      }
      skipFeed = false;
      if (c < 0 && !any) {
        return null;
      }
      any = true;
      if (c == '\r') {
        skipFeed = true;
        corrections.add(Correction.LINE_ENDS);
      }
      if (c < 0 || c == '\n' || c == '\r') {
        break;
      }
      if (line.size() < MAX_LINE) {
        line.write(c);
      } else {
        overlong = true;
      }
    }
    return new Line(line.toString(StandardCharsets.UTF_8), ++number, overlong);
  }

  /** Gives lines back, the first of them to be read next. */
  void giveBack(java.util.List<Line> lines) {
    for (int i = lines.size() - 1; i >= 0; i--) {
      pushedBack.push(lines.get(i));
    }
  }

  /** Characters as a stream of UTF-8 bytes. */
  private static final class Narrowed extends InputStream {
    private final Reader reader;
    private byte[] bytes = new byte[0];
    private int at;

    Narrowed(Reader reader) {
      this.reader = reader;
    }

    @Override
    public int read() throws IOException {
      if (at == bytes.length) {
        char[] block = new char[4096];
        int read = reader.read(block);
        if (read < 0) {
          return -1;
        }
        int extra = 0;
        if (Character.isHighSurrogate(block[read - 1])) {
          int second = reader.read();
          if (second >= 0) {
            block = java.util.Arrays.copyOf(block, read + 1);
            block[read] = (char) second;
            extra = 1;
          }
        }
        bytes = new String(block, 0, read + extra).getBytes(StandardCharsets.UTF_8);
        at = 0;
      }
      return bytes[at++] & 0xff;
    }
  }
}
