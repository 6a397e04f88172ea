package dev.warmshelf.study;

import java.util.ArrayDeque;
import java.util.Deque;

/**
 * Pairs of answers with no change between them, nor about when they were read. The feed tells of a
 * change a while after it can be seen, so each pair waits for that while. For one thread.
 */
final class Judged {
  private final Changes changes;
  private final Deque<Waiting> waiting = new ArrayDeque<>();

  private record Waiting(long atMicros, int statement, long sinceMicros, Runnable then) {}

  Judged(Changes changes) {
    this.changes = changes;
  }

  /**
   * @param sinceMicros when the reading of the first answer began
   * @param atMicros when the second was answered
   * @param then called later, if no change has come between
   */
  void pair(int statement, long sinceMicros, long atMicros, Runnable then) {
    if (changes.lastOf(statement) < sinceMicros) {
      waiting.add(new Waiting(atMicros, statement, sinceMicros, then));
    }
  }

  /** It is so late now; to be called before a change that comes at this time is noted. */
  void until(long nowMicros) {
    for (Waiting next = waiting.peek();
        next != null && next.atMicros() + Changes.LAG_MICROS < nowMicros;
        next = waiting.peek()) {
      waiting.remove();
      if (changes.lastOf(next.statement()) < next.sinceMicros()) {
        next.then().run();
      }
    }
  }
}
