package dev.warmshelf.sql;

import dev.warmshelf.key.Footprint;

/** Whether the answers of a statement may be kept. */
public sealed interface Verdict {
  /**
   * They may.
   *
   * @param footprint every table the statement can read
   */
  record Keepable(Footprint footprint) implements Verdict {}

  /** They may not. */
  record Refused(Refusal refusal) implements Verdict {}
}
