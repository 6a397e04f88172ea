package dev.warmshelf.measure.survey;

import java.time.Duration;

/**
 * Which share of a statement's executions a shelf would answer, from 0 to 1. How often the same
 * question comes again no statistics tell, so there are bounds, and a guess between them.
 *
 * <p>A question that is asked {@code q} times a second, and whose answer changes {@code e} times a
 * second, finds the answer of the time before still true in {@code q / (q + e)} of cases, if both
 * happen at random (two Poisson processes: which of the two came last). For {@code n} questions
 * that share the executions, the sum is largest if one has them all, and least if all have as many,
 * since {@code q² / (q + e)} is convex in {@code q}.
 *
 * @param worst if all questions that there can be are asked equally often; 0 if their number is not
 *     bounded
 * @param likely if their popularity falls as one by rank (the trade's common finding: Breslau and
 *     others, <i>Web caching and Zipf-like distributions</i>, 1999); where nobody knows how many
 *     there are, for as many as there are executions in the time for which an answer is kept
 * @param best if all executions ask one question
 */
public record Gain(double worst, double likely, double best) {
  /** Ranks are added up one by one to here, and in blocks of a hundredth from there. */
  private static final double BLOCK = 0.01;

  /**
   * @param kept for how long at most, whatever changes
   * @param perSecond how often it is executed
   * @param changesPerSecond how often what one answer depends on changes
   * @param asked how many different questions there can be
   */
  static Gain of(Duration kept, double perSecond, double changesPerSecond, Asked asked) {
    double seconds = kept.toNanos() / 1e9;
    double ends = changesPerSecond + 1 / seconds;
    double worst =
        asked.most().isEmpty()
            ? 0
            : hits(perSecond / Math.max(1, asked.most().getAsDouble()), ends);
    double likely = ranked(perSecond, ends, Math.max(1, asked.guess().orElse(perSecond * seconds)));
    return new Gain(worst, likely, hits(perSecond, ends));
  }

  /** Of one question. */
  private static double hits(double perSecond, double ends) {
    return perSecond <= 0 ? 0 : perSecond / (perSecond + ends);
  }

  /** Of questions whose popularity falls as one by rank. */
  private static double ranked(double perSecond, double ends, double questions) {
    double weights = 0;
    for (double rank = 1; rank <= questions; rank += step(rank, questions)) {
      weights += step(rank, questions) / rank;
    }
    double hits = 0;
    for (double rank = 1; rank <= questions; rank += step(rank, questions)) {
      double share = 1 / rank / weights;
      hits += step(rank, questions) * share * hits(perSecond * share, ends);
    }
    return hits;
  }

  /** How many ranks are taken for alike from one on. */
  private static double step(double rank, double questions) {
    return Math.max(1, Math.min(Math.floor(rank * BLOCK), questions - rank));
  }
}
