package dev.warmshelf.shelf;

/** What to do with an answer once something that it depends on has changed. */
public enum Renewal {
  /** Load it again. */
  LOAD,
  /**
   * Look first whether the changes can make a difference to the answer, without asking the
   * database, and load it again if they can. The default.
   */
  LOOK_AGAIN
}
