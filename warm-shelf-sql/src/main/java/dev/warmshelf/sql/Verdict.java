package dev.warmshelf.sql;

import dev.warmshelf.lane.Footprint;
import dev.warmshelf.lane.FootprintPlan;
import dev.warmshelf.sql.tree.Refusal;

/** Whether the answers of a statement may be kept. */
public sealed interface Verdict {
  /**
   * They may.
   *
   * @param lanes how the lanes of an answer follow from the question
   */
  record Keepable(FootprintPlan lanes) implements Verdict {
    /** Every table the statement can read. */
    public Footprint tables() {
      return lanes.tables();
    }
  }

  /** They may not. */
  record Refused(Refusal refusal) implements Verdict {}
}
