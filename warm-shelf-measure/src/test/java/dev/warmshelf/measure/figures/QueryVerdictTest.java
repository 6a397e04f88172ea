package dev.warmshelf.measure.figures;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.within;

import dev.warmshelf.shelf.Origin;
import java.util.Optional;
import org.junit.jupiter.api.Test;

class QueryVerdictTest {
  private final QueryFigures direct = reads(0, 0, 100, 1_000);

  @Test
  void aQueryThatIsFasterOnAverageIsKept() {
    // 75 hits of 10 and 25 misses of 1,300: 332.5 on average, against 1,000.
    QueryVerdict verdict = verdict(reads(75, 10, 25, 1_300));
    assertThat(verdict.gain()).isCloseTo(1_000 / 332.5, within(0.01));
    assertThat(verdict.words()).isEqualTo("keep it: 3.0× on average");
    // Break-even by hand: (1,300 - 1,000) / (1,300 - 10).
    assertThat(verdict.breakEven().orElseThrow().ratio()).isCloseTo(300.0 / 1_290, within(0.01));
  }

  @Test
  void aQueryThatIsSlowerOnAverageLosesAndAnIndexIsNamed() {
    QueryVerdict verdict =
        new QueryVerdict(
            reads(10, 10, 90, 1_300),
            direct,
            new QueryFigures(),
            Optional.of("notice (port_id)"),
            Optional.empty());
    assertThat(verdict.words())
        .isEqualTo(
            "this one loses: read it directly; an index on notice (port_id) would make the direct"
                + " read cheaper");
  }

  @Test
  void littleMoreThanNothingIsNoDifference() {
    assertThat(verdict(reads(5, 10, 95, 1_030)).words()).isEqualTo("makes no difference");
    assertThat(verdict(reads(0, 0, 100, 1_000)).words())
        .isEqualTo("never read again: nothing gained");
  }

  @Test
  void fewReadsSayNothing() {
    assertThat(verdict(reads(10, 10, 9, 1_000)).words()).isEqualTo("too few reads to tell");
    assertThat(verdict(reads(10, 10, 9, 1_000)).breakEven()).isEmpty();
    QueryVerdict fewDirect =
        new QueryVerdict(direct, reads(0, 0, 9, 1_000), direct, Optional.empty(), Optional.empty());
    assertThat(fewDirect.words()).isEqualTo("too few direct reads to tell");
  }

  @Test
  void aTtlThatLeavesReadsStaleIsToBeShortened() {
    QueryFigures ttl = reads(99, 10, 1, 1_000);
    for (int i = 0; i < 100; i++) {
      ttl.addJudged();
    }
    ttl.addStale(true);
    QueryVerdict verdict =
        new QueryVerdict(reads(75, 10, 25, 1_000), direct, ttl, Optional.empty(), Optional.empty());
    assertThat(verdict.words())
        .endsWith("on a TTL alone 1.0 % of its reads are stale: shorten that");
  }

  @Test
  void aRefusalIsSaidFirst() {
    QueryVerdict verdict =
        new QueryVerdict(
            reads(0, 0, 100, 1_000),
            direct,
            new QueryFigures(),
            Optional.empty(),
            Optional.of("it calls random()"));
    assertThat(verdict.words()).isEqualTo("not kept: it calls random()");
  }

  private QueryVerdict verdict(QueryFigures kept) {
    return new QueryVerdict(kept, direct, new QueryFigures(), Optional.empty(), Optional.empty());
  }

  private static QueryFigures reads(int hits, long hitNanos, int others, long otherNanos) {
    QueryFigures figures = new QueryFigures();
    for (int i = 0; i < hits; i++) {
      figures.add(Origin.KEPT, hitNanos, otherNanos, false);
    }
    for (int i = 0; i < others; i++) {
      figures.add(Origin.LOADED, otherNanos, otherNanos, false);
    }
    return figures;
  }
}
