package dev.warmshelf.shelf;

import dev.warmshelf.store.Entry;
import java.util.concurrent.CountDownLatch;
import org.jspecify.annotations.Nullable;

/**
 * A load under way, which others may wait for. Lands once, with an entry or with nothing; later
 * landings change nothing.
 */
final class Flight {
  private final long fence;
  private final CountDownLatch landed = new CountDownLatch(1);

  /** Written before the latch opens and read after: the latch publishes it. */
  private @Nullable Entry entry;

  Flight(long fence) {
    this.fence = fence;
  }

  /** The board's tick before the load began. */
  long fence() {
    return fence;
  }

  /**
   * Called by the loading thread alone.
   *
   * @param loaded null if the load failed
   */
  void land(@Nullable Entry loaded) {
    if (landed.getCount() != 0) {
      entry = loaded;
      landed.countDown();
    }
  }

  /** Waits for the load; null if it failed, or if the waiting thread was interrupted. */
  @Nullable Entry await() {
    try {
      landed.await();
      return entry;
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
      return null;
    }
  }
}
