package tolvin.service.web;

import java.util.Map;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.atomic.AtomicInteger;

/** How many there are at once, in all and from one address. */
public final class Crowd {
  private final int mostInAll;
  private final int mostOfOne;
  private final AtomicInteger all = new AtomicInteger();
  private final Map<String, Integer> ofEach = new ConcurrentHashMap<>();

  /** With these limits. */
  public Crowd(int mostInAll, int mostOfOne) {
    this.mostInAll = mostInAll;
    this.mostOfOne = mostOfOne;
  }

  /**
   * Counts one in; {@link #leave} counts it out, also if it was one too many.
   *
   * @param address where it comes from; null if it only counts for all
   * @return whether there are few enough with it
   */
  public boolean enter(String address) {
    boolean few = all.incrementAndGet() <= mostInAll;
    return (address == null || ofEach.merge(address, 1, Integer::sum) <= mostOfOne) && few;
  }

  /** Counts one out. */
  public void leave(String address) {
    all.decrementAndGet();
    if (address != null) {
      ofEach.computeIfPresent(address, (who, count) -> count == 1 ? null : count - 1);
    }
  }
}
