package dev.warmshelf.shelf;

/** Where an answer came from. */
public enum Origin {
  /** From the shelf: a hit. The database was not asked. */
  KEPT,
  /**
   * From the shelf: a hit, though something that the answer depends on has changed. A second look
   * at the changes found that they make no difference to it. The database was not asked.
   */
  REVIVED,
  /**
   * From the shelf, out of date, on purpose: a hit, as {@link OldAnswers} lets it be. {@link
   * Reading#freshAsOf} says which changes may be missing.
   */
  OLD,
  /** From the database, by this caller's own load: a miss. */
  LOADED,
  /**
   * From the shelf and the database, by this caller's own asking: a miss, of which only the parts
   * were asked for that changes had touched.
   */
  MENDED,
  /** From a load that another caller had under way: a miss that cost no database read. */
  JOINED,
  /**
   * From another process, which had loaded it, by way of the store that they share: a miss that
   * cost no database read.
   */
  SHARED,
  /** From the database, past the shelf: a bypass. Nothing was kept. */
  DIRECT;

  /** Whether the shelf answered. */
  public boolean isHit() {
    return this == KEPT || this == REVIVED || this == OLD;
  }
}
