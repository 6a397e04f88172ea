package dev.warmshelf.spi.feed;

import dev.warmshelf.lane.Lane;
import java.util.Map;

/** What a statement means, as long as the schema's objects are what they were. Thread-safe. */
public interface Watched {
  /** What was found of each object that it depends on, when or before it was read. */
  Map<String, String> prints();

  /**
   * One of them is not that any more, or is no longer looked after. Called before the lane is
   * ticked, on the feed's thread.
   */
  void mayMeanAnother();

  /** What all answers to the statement depend on. */
  Lane lane();
}
