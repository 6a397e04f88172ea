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
    meters.count(Count.MISSES);
    meters.bypass(BypassReason.REFUSED);
    Meters.Snapshot snapshot = meters.snapshot();
    assertThat(snapshot.lookups()).isEqualTo(4);
    assertThat(snapshot.hitRatio()).isEqualTo(0.75);
    assertThat(snapshot.bypassed()).isEqualTo(1);
  }

  @Test
  void aJoinedMissCostsNoDatabaseReadAndABypassCostsOne() {
    for (int i = 0; i < 5; i++) {
      meters.count(Count.MISSES);
    }
    meters.count(Count.JOINED);
    meters.count(Count.JOINED);
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
    assertThat(meters.loads().count()).isEqualTo(3);
    assertThat(meters.loads().nanosAt(50)).isBetween(12_333_000L, 12_358_000L);
    assertThat(meters.loads().mostNanos()).isBetween(3_600_000_000_000L, 3_604_000_000_000L);
    assertThat(meters.timedHits().nanosAt(50)).isZero();
  }

  @Test
  void aSnapshotDoesNotMove() {
    Meters.Snapshot before = meters.snapshot();
    Timings loads = meters.loads().copy();
    meters.hit(0);
    meters.loaded(5);
    assertThat(before.get(Count.HITS)).isZero();
    assertThat(loads.count()).isZero();
  }

  @Test
  void timeSavedIsWhatHitsSparedLessWhatAllReadsTookBeyondTheirLoads() {
    for (int i = 0; i < 10; i++) {
      meters.hit(1_000_000);
    }
    assertThat(meters.snapshot().timeSavedNanos()).isEqualTo(10_000_000);
    meters.hitTook(400);
    meters.hitTook(600); // 500 on average, for all ten
    assertThat(meters.snapshot().timeSavedNanos()).isEqualTo(10_000_000 - 5_000);
    meters.tookBeyondLoad(20_000_000); // second looks in vain
    meters.tookBeyondLoad(-1_000_000); // an answer that another had nearly loaded
    assertThat(meters.snapshot().timeSavedNanos()).isEqualTo(-9_000_000 - 5_000);
  }

  @Test
  void aSpanIsWhatCameAfterTheEarlierSnapshot() {
    meters.hit(100);
    meters.count(Count.MISSES);
    meters.loaded(5_000);
    meters.bypass(BypassReason.REFUSED);
    meters.audited(Finding.LATE);
    Meters.Snapshot before = meters.snapshot();
    Timings loads = meters.loads().copy();
    meters.hit(200);
    meters.hit(200);
    meters.loaded(9_000);
    meters.bypass(BypassReason.REFUSED);
    meters.audited(Finding.NEVER);
    Meters.Snapshot span = meters.snapshot().since(before);
    assertThat(span.get(Count.HITS)).isEqualTo(2);
    assertThat(span.get(Count.SPARED_NANOS)).isEqualTo(400);
    assertThat(span.get(Count.MISSES)).isZero();
    assertThat(span.bypassed()).isEqualTo(1);
    assertThat(span.get(Finding.LATE)).isZero();
    assertThat(span.get(Finding.NEVER)).isEqualTo(1);
    assertThat(meters.loads().since(loads).count()).isEqualTo(1);
    assertThat(meters.loads().since(loads).nanosAt(50)).isBetween(8_990L, 9_010L);
  }

  @Test
  void everyCountHasItsOwnNameAndIsCountedAlone() {
    for (Count what : Count.values()) {
      Meters one = new Meters();
      one.count(what);
      assertThat(one.snapshot().byName()).containsEntry(what.label(), 1L);
    }
    for (BypassReason reason : BypassReason.values()) {
      Meters one = new Meters();
      one.bypass(reason);
      assertThat(one.snapshot().get(reason)).isEqualTo(1);
      assertThat(one.snapshot().bypassed()).isEqualTo(1);
      assertThat(one.snapshot().audited()).isZero();
    }
    meters.audited(Finding.NEVER);
    meters.bypass(BypassReason.FEED_LOST);
    assertThat(meters.snapshot().byName())
        .containsEntry("auditsNever", 1L)
        .containsEntry("bypassedFeedLost", 1L)
        .containsEntry("bypassed", 1L);
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
