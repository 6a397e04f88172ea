package dev.warmshelf.study;

import java.util.Optional;

/**
 * How the questions of one statement repeat.
 *
 * @param questions how many were asked
 * @param distinct how many different ones, about
 * @param wouldHit the share that a shelf without bound would answer: those that were asked before,
 *     and whose answer is what it was then
 * @param neverReadAgain the share of what such a shelf would load that nobody reads before it
 *     changes, or the recording ends
 * @param gap between a question and the next like it
 * @param loadMicros what the load of an answer took, on average of the questions
 */
public record Repeats(
    StatementText statement,
    long questions,
    long distinct,
    Share wouldHit,
    Share neverReadAgain,
    Optional<Gap> gap,
    double loadMicros) {
  /**
   * Times between a question and the next like it.
   *
   * @param medianMicros half are shorter
   * @param longMicros one in ten is longer
   */
  public record Gap(long medianMicros, long longMicros) {}

  /** About how much time a shelf without bound would save, in microseconds. */
  public double savedMicros() {
    return questions * wouldHit.ratio() * loadMicros;
  }
}
