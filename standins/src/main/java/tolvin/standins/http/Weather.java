package tolvin.standins.http;

import java.util.Queue;
import java.util.concurrent.ConcurrentLinkedQueue;

/** The bad weather that a simulated system is to have, one request after the other. */
public final class Weather {
  private final Queue<Fault> coming = new ConcurrentLinkedQueue<>();
  private volatile boolean onlyWrites = true;

  /** What can go wrong. */
  public enum Fault {
    /** Nothing. */
    NONE,
    /** The connection is cut before anything is done. */
    CUT,
    /** It is done, and the connection is cut before the answer. */
    CUT_AFTER,
    /** The answer is cut in the middle. */
    CUT_IN_THE_ANSWER,
    /** No answer for a long time. */
    SLOW,
    /** 429, to be repeated at once. */
    BUSY,
    /** 429 without a word about when. */
    BUSY_UNTOLD,
    /** 429, to be repeated in an hour. */
    BUSY_FOR_LONG,
    /** 500 before anything is done. */
    ERROR,
    /** 500 although it is done. */
    ERROR_AFTER,
    /** 503 with Retry-After. */
    DOWN,
    /** A page of HTML with status 200. */
    HTML,
    /** An answer without an end. */
    HUGE,
    /** Sends on to another host. */
    REDIRECT,
    /** Says that it is done, and does nothing. */
    PRETEND,
    /** 401. */
    UNKNOWN_SECRET
  }

  /** These are to come next, for requests that change something. */
  public void writes(Fault... faults) {
    onlyWrites = true;
    set(faults);
  }

  /** These are to come next, for any request. */
  public void any(Fault... faults) {
    onlyWrites = false;
    set(faults);
  }

  private void set(Fault... faults) {
    coming.clear();
    coming.addAll(java.util.List.of(faults));
  }

  Fault next(boolean write) {
    if (onlyWrites && !write) {
      return Fault.NONE;
    }
    Fault fault = coming.poll();
    return fault == null ? Fault.NONE : fault;
  }
}
