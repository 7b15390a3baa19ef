package tolvin.connectors.ssh;

import java.util.concurrent.atomic.LongAdder;

/** Counts what was really done over the network, so that speed cannot be won by doing less. */
public final class Traffic {
  private final LongAdder connections = new LongAdder();
  private final LongAdder reads = new LongAdder();
  private final LongAdder writes = new LongAdder();
  private final LongAdder trials = new LongAdder();

  /**
   * The counts at one moment.
   *
   * @param connections SSH connections that were opened
   * @param reads files that were read
   * @param writes files that were written, renamed, linked or removed
   * @param trials sign-ins that were tried
   */
  public record Counts(long connections, long reads, long writes, long trials) {}

  /** The counts now. */
  public Counts counts() {
    return new Counts(connections.sum(), reads.sum(), writes.sum(), trials.sum());
  }

  void connected() {
    connections.increment();
  }

  void read() {
    reads.increment();
  }

  void wrote() {
    writes.increment();
  }

  void tried() {
    trials.increment();
  }
}
