package dev.warmshelf.measure.figures;

import dev.warmshelf.trial.BreakEven;
import java.util.ArrayList;
import java.util.List;
import java.util.Locale;
import java.util.Optional;
import org.jspecify.annotations.Nullable;

/**
 * What keeping one query's answers is worth, in figures and in words.
 *
 * <p>The words go by means over the same stream of requests: what misses cost and hits save is in
 * them. Medians, which give miss penalty and break-even, can mislead where misses ask other, rarer
 * questions than the popular ones.
 *
 * @param kept the query in the way that is judged
 * @param direct the same read directly
 * @param ttlAlone the same with a TTL and no feed
 * @param index an index that would make the direct read cheaper
 * @param refusal why its answers are not kept
 */
public record QueryVerdict(
    QueryFigures kept,
    QueryFigures direct,
    QueryFigures ttlAlone,
    Optional<String> index,
    Optional<String> refusal) {
  /** Medians and means of fewer say nothing. */
  static final int FEWEST_READS = 20;

  /** With a TTL alone, this share of stale reads is worth a word. */
  private static final double STALE_SHARE_TOLD = 0.005;

  /** How much dearer a read must be on average before it counts as losing; below it is noise. */
  private static final double NOISE = 1.05;

  /** Empty unless there are enough reads of each kind. */
  public Optional<BreakEven> breakEven() {
    long fewest =
        Math.min(
            direct.others().getTotalCount(),
            Math.min(kept.hits().getTotalCount(), kept.others().getTotalCount()));
    return fewest >= FEWEST_READS
        ? Optional.of(
            new BreakEven(
                direct.others().getValueAtPercentile(50),
                kept.hits().getValueAtPercentile(50),
                kept.others().getValueAtPercentile(50)))
        : Optional.empty();
  }

  /** How many times as fast a read is on average as a direct one; 0 with too few reads to tell. */
  public double gain() {
    return direct.reads() < FEWEST_READS || kept.reads() < FEWEST_READS
        ? 0
        : direct.meanNanos() / kept.meanNanos();
  }

  /** What to do. */
  public String words() {
    List<String> words = new ArrayList<>();
    words.add(judgement());
    index.ifPresent(
        where -> words.add("an index on " + where + " would make the direct read cheaper"));
    if (ttlAlone.staleShare() > STALE_SHARE_TOLD) {
      words.add(
          String.format(
              Locale.ROOT,
              "on a TTL alone %.1f %% of its reads are stale: shorten that",
              100 * ttlAlone.staleShare()));
    }
    return String.join("; ", words);
  }

  private String judgement() {
    if (refusal.isPresent()) {
      return "not kept: " + refusal.get();
    }
    double gain = gain();
    if (gain == 0) {
      String which = direct.reads() < kept.reads() ? "direct reads" : "reads";
      return "too few " + which + " to tell";
    } else if (gain < 1 / NOISE) {
      return "this one loses: read it directly";
    } else if (kept.hits().getTotalCount() == 0) {
      return "never read again: nothing gained";
    } else if (gain < NOISE) {
      return "makes no difference";
    }
    return String.format(Locale.ROOT, gain < 10 ? "keep it: %.1f×" : "keep it: %,.0f×", gain)
        + " on average";
  }

  static QueryFigures orNothing(@Nullable QueryFigures figures) {
    return figures == null ? new QueryFigures() : figures;
  }
}
