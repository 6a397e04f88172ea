package dev.warmshelf.shelf;

/** Which entries leave first when room is short. */
public enum Leaving {
  /**
   * Those whose room saves the least time, be they new or not: what their load took, times how
   * often they are asked for, for each byte. The default. How often is the number of uses over the
   * time in which they were counted (Blankstein, Sen and Freedman, "Hyperbolic Caching", 2017), but
   * not more than the time since the last one lets one expect; it is remembered for a while of what
   * has left.
   */
  LEAST_TIME_SAVED,

  /** Those that were not used for longest. */
  LONGEST_UNUSED,

  /** Those that are used least often. */
  LEAST_OFTEN_USED,

  /** Any. */
  ANY,

  /** Those that would expire next; those that never do, after all others. */
  NEXT_TO_EXPIRE,

  /**
   * Of those that expire at all, those that would next. Where there is none, what is new is not
   * kept.
   */
  ONLY_EXPIRING,

  /** Those that are loaded again soonest: the dearest stay. */
  CHEAPEST_TO_LOAD
}
