package tolvin.core.signin;

import java.nio.ByteBuffer;
import java.util.Arrays;

/**
 * The lines that were counted already, by their digests: eight bytes each, sorted, so that a log
 * that is replayed counts once and a million lines cost a few megabytes.
 */
public final class LineSet {
  private final long[] sorted;

  private LineSet(long[] sorted) {
    this.sorted = sorted;
  }

  /** None. */
  public static LineSet empty() {
    return new LineSet(new long[0]);
  }

  /** What {@link #toBytes} gave. */
  public static LineSet of(byte[] bytes) {
    long[] digests = new long[bytes.length / Long.BYTES];
    ByteBuffer.wrap(bytes).asLongBuffer().get(digests);
    return new LineSet(digests);
  }

  /** Whether a line was counted. */
  public boolean has(long digest) {
    return Arrays.binarySearch(sorted, digest) >= 0;
  }

  /** With more lines; the same one twice counts once. */
  public LineSet with(long[] digests) {
    long[] all = Arrays.copyOf(sorted, sorted.length + digests.length);
    System.arraycopy(digests, 0, all, sorted.length, digests.length);
    Arrays.sort(all);
    return new LineSet(Arrays.stream(all).distinct().toArray());
  }

  /** How many there are. */
  public int size() {
    return sorted.length;
  }

  /** For keeping: eight bytes each, in order. */
  public byte[] toBytes() {
    ByteBuffer bytes = ByteBuffer.allocate(sorted.length * Long.BYTES);
    bytes.asLongBuffer().put(sorted);
    return bytes.array();
  }
}
