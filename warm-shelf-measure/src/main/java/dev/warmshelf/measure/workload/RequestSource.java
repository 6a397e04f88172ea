package dev.warmshelf.measure.workload;

import java.util.List;
import java.util.OptionalLong;

/** Where the requests of a run come from. Thread-safe. */
public interface RequestSource {
  /**
   * A reader's stream; the same for every way.
   *
   * @param reader from 0
   */
  Requests stream(int reader);

  /** One request of each query, to prepare with. */
  List<Request> samples();

  /** Whether requests are asked when they are due; otherwise as fast as can be. */
  boolean isPaced();

  /** How fast the readers ask, in words. */
  String pace();

  /** What is not asked, and why, a line each. */
  default List<String> leftOut() {
    return List.of();
  }

  /** Whether a question that the database refuses is passed over; otherwise it ends the run. */
  default boolean passesOverErrors() {
    return false;
  }

  /** How many requests there are in all streams together; empty if they never end. */
  OptionalLong size();
}
