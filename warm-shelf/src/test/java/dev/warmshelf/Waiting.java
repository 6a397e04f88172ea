package dev.warmshelf;

import static org.assertj.core.api.Assertions.assertThat;

import java.time.Instant;
import java.util.concurrent.Callable;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.locks.LockSupport;

/** Waits for conditions, with a bound. */
public final class Waiting {
  private static final long LONGEST = TimeUnit.SECONDS.toNanos(30);

  private Waiting() {}

  /** Waits until all that had committed by now has been delivered. */
  public static void untilDelivered(WarmShelf warm) throws Exception {
    Instant now = Instant.now();
    until("the feed delivers", () -> warm.freshAsOf().orElseThrow().isAfter(now));
  }

  public static void until(String what, Callable<Boolean> condition) throws Exception {
    long deadline = System.nanoTime() + LONGEST;
    while (!condition.call()) {
      assertThat(System.nanoTime()).as("waited in vain until %s", what).isLessThan(deadline);
      LockSupport.parkNanos(1_000_000);
    }
  }
}
