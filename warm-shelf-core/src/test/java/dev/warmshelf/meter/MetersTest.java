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
  void aboutOneHitInSixtyFourIsTimed() {
    int timed = 0;
    for (int i = 0; i < 64_000; i++) {
      timed += meters.timesThisHit() ? 1 : 0;
    }
    // 1,000 expected, standard deviation 31: ten of them either way
    assertThat(timed).isBetween(690, 1_310);
  }
}
