package dev.warmshelf.shelf.read;

import dev.warmshelf.fresh.Fence;
import dev.warmshelf.store.Entry;
import org.jspecify.annotations.Nullable;

/**
 * One load of one key, which others may wait for. Waits to begin, runs on the thread that began it,
 * and lands once.
 *
 * <p>Guarded by its line in {@link Loads} until it has landed; then nothing changes any more.
 */
final class Load {
  private @Nullable Fence fence;
  private @Nullable Outcome outcome;

  /** What those who wait for a load get from it. */
  sealed interface Outcome {
    /** An answer that is good for all. */
    record Answered(Entry entry) implements Outcome {}

    /** What the database said to it, and would have said to all. */
    record Failed(Exception error) implements Outcome {}

    /** An answer that is good for its own caller alone, as the next load's would be. */
    record NotShared() implements Outcome {}

    /** Nothing: it ended for a reason of its own caller's. */
    record GivenUp() implements Outcome {}
  }

  void begin(Fence from) {
    fence = from;
  }

  boolean hasBegun() {
    return fence != null;
  }

  /** Where board and clock stood when it began. */
  Fence fence() {
    if (fence == null) {
      throw new IllegalStateException("This load has not begun.");
    }
    return fence;
  }

  void land(Outcome with) {
    outcome = with;
  }

  boolean hasLanded() {
    return outcome != null;
  }

  Outcome outcome() {
    if (outcome == null) {
      throw new IllegalStateException("This load has not landed.");
    }
    return outcome;
  }
}
