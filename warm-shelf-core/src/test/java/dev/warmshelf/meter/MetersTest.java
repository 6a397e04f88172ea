package dev.warmshelf.meter;

import static org.assertj.core.api.Assertions.assertThat;

import org.junit.jupiter.api.Test;

class MetersTest {
  private final Meters meters = new Meters();

  @Test
  void lookupsAreHitsAndMissesAndNothingElse() {
    meters.hit(0);
    meters.hit(0);
    meters.hit(0);
    meters.miss();
    meters.bypass(BypassReason.REFUSED);
    Meters.Snapshot snapshot = meters.snapshot();
    assertThat(snapshot.lookups()).isEqualTo(4);
    assertThat(snapshot.hitRatio()).isEqualTo(0.75);
    assertThat(snapshot.bypassed()).isEqualTo(1);
  }

  @Test
  void aJoinedMissCostsNoDatabaseReadAndABypassCostsOne() {
    for (int i = 0; i < 5; i++) {
      meters.miss();
    }
    meters.joined();
    meters.joined();
    meters.bypass(BypassReason.FEED_LOST);
    assertThat(meters.snapshot().databaseReads()).isEqualTo(4);
  }

  @Test
  void nothingLookedUpHasNoHitRatio() {
    assertThat(meters.snapshot().hitRatio()).isZero();
  }

  @Test
  void latenciesKeepTheirPrecisionAndOutliersAreCapped() {
    meters.loaded(12_345_678);
    meters.loaded(-5);
    meters.loaded(Long.MAX_VALUE);
    assertThat(meters.snapshot().loadLatency().getTotalCount()).isEqualTo(3);
    assertThat(meters.snapshot().loadLatency().getValueAtPercentile(50))
        .isBetween(12_333_000L, 12_358_000L);
  }

  @Test
  void aSnapshotDoesNotMove() {
    Meters.Snapshot before = meters.snapshot();
    meters.hit(0);
    meters.loaded(5);
    assertThat(before.hits()).isZero();
    assertThat(before.loadLatency().getTotalCount()).isZero();
  }

  @Test
  void timeSavedIsWhatHitsSparedLessWhatTheyTook() {
    for (int i = 0; i < 10; i++) {
      meters.hit(1_000_000);
    }
    assertThat(meters.snapshot().timeSavedNanos()).isEqualTo(10_000_000);
    meters.hitTook(400);
    meters.hitTook(600); // 500 on average, for all ten
    assertThat(meters.snapshot().timeSavedNanos()).isEqualTo(10_000_000 - 5_000);
  }

  @Test
  void aSpanIsWhatCameAfterTheEarlierSnapshot() {
    meters.hit(100);
    meters.miss();
    meters.loaded(5_000);
    meters.bypass(BypassReason.REFUSED);
    meters.audited(Finding.LATE);
    Meters.Snapshot before = meters.snapshot();
    meters.hit(200);
    meters.hit(200);
    meters.loaded(9_000);
    meters.bypass(BypassReason.REFUSED);
    meters.audited(Finding.NEVER);
    Meters.Snapshot span = meters.snapshot().since(before);
    assertThat(span.hits()).isEqualTo(2);
    assertThat(span.sparedNanos()).isEqualTo(400);
    assertThat(span.misses()).isZero();
    assertThat(span.bypassed()).isEqualTo(1);
    assertThat(span.found(Finding.LATE)).isZero();
    assertThat(span.found(Finding.NEVER)).isEqualTo(1);
    assertThat(span.loadLatency().getTotalCount()).isEqualTo(1);
    assertThat(span.loadLatency().getValueAtPercentile(50)).isBetween(8_990L, 9_010L);
  }

  @Test
  void aboutOneHitInSixtyFourIsTimed() {
    int timed = 0;
    for (int i = 0; i < 64_000; i++) {
      timed += meters.timesThisHit() ? 1 : 0;
    }
    // 1,000 expected, standard deviation 31: ten of them either way
    assertThat(timed).isBetween(690, 1_310);
  }
}
