package dev.warmshelf.measure.run;

import java.sql.SQLException;
import java.util.function.BooleanSupplier;

/** Asks one stream of requests in one way, round after round, and notes what came of it. */
interface Asker {
  /** Whether the stream is at its end. */
  boolean isAtEnd();

  /**
   * Asks for a round. One at a time, on any thread.
   *
   * @param began when the round began, on the monotonic clock
   * @param nanos how long it is
   */
  void round(long began, long nanos, BooleanSupplier stopped) throws SQLException;

  /** Hands out what has been noted, and begins anew. */
  Reader.Tally take();

  /** Forgets all that has been noted, and what still waits for its judgement. */
  void forget();

  /** Judges what had to wait; to be called once no commit is under way any more. */
  void judgeTheRest();
}
