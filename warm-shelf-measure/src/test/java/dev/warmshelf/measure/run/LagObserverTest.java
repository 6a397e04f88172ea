package dev.warmshelf.measure.run;

import static org.assertj.core.api.Assertions.assertThat;

import dev.warmshelf.measure.figures.WayKind;
import java.time.Instant;
import java.util.Map;
import org.junit.jupiter.api.Test;

class LagObserverTest {
  private Instant first = Instant.EPOCH;
  private Instant second = Instant.EPOCH;
  private long now;

  @Test
  void aLagIsTheTimeFromACommitsReturnUntilItsDelivery() {
    LagObserver observer =
        new LagObserver(
            Map.of(WayKind.TABLES, () -> first, WayKind.ANSWERS, () -> second), () -> now);
    observer.committed(100, Instant.EPOCH.plusNanos(100));
    observer.committed(150, Instant.EPOCH.plusNanos(150));
    now = 200;
    assertThat(observer.look()).isTrue();
    assertThat(observer.lags(WayKind.TABLES).getTotalCount()).isZero();
    first = Instant.EPOCH.plusNanos(149);
    second = Instant.EPOCH.plusNanos(150);
    now = 300;
    assertThat(observer.look()).as("the second commit at the first way").isTrue();
    assertThat(observer.lags(WayKind.TABLES).getMaxValue()).isEqualTo(200);
    assertThat(observer.lags(WayKind.ANSWERS).getTotalCount()).isEqualTo(2);
    assertThat(observer.lags(WayKind.ANSWERS).getMinValue()).isEqualTo(150);
    first = Instant.EPOCH.plusNanos(400);
    now = 450;
    assertThat(observer.look()).isFalse();
    assertThat(observer.lags(WayKind.TABLES).getMaxValue()).isEqualTo(300);
    assertThat(observer.lags(WayKind.VALUES).getTotalCount()).isZero();
    observer.forget();
    assertThat(observer.lags(WayKind.TABLES).getTotalCount()).isZero();
  }

  @Test
  void whatIsDeliveredByTheEndIsMeasured() {
    LagObserver observer = new LagObserver(Map.of(WayKind.TABLES, () -> first), () -> now);
    observer.start();
    observer.committed(100, Instant.EPOCH.plusNanos(100));
    first = Instant.EPOCH.plusNanos(100);
    now = 130;
    observer.close();
    assertThat(observer.lags(WayKind.TABLES).getTotalCount()).isEqualTo(1);
  }
}
