package dev.warmshelf.statement;

import dev.warmshelf.plan.Footprint;
import dev.warmshelf.plan.FootprintPlan;
import dev.warmshelf.plan.InterestPlan;
import dev.warmshelf.plan.MendingPlan;
import dev.warmshelf.plan.ProbePlan;
import org.jspecify.annotations.Nullable;

/** Whether the answers of a statement may be kept. */
public sealed interface Verdict {
  /**
   * They may.
   *
   * @param lanes how the lanes of an answer follow from the question
   * @param interest how it follows which changes make a difference; null if any may
   * @param mending how an answer is mended; null if it cannot be
   * @param probe how the database is asked whether changes can reach an answer; null if it cannot
   */
  record Keepable(
      FootprintPlan lanes,
      @Nullable InterestPlan interest,
      @Nullable MendingPlan mending,
      @Nullable ProbePlan probe)
      implements Verdict {
    /** Every table the statement can read. */
    public Footprint tables() {
      return lanes.tables();
    }
  }

  /** They may not. */
  record Refused(Refusal refusal) implements Verdict {}
}
