package dev.warmshelf.cli.measure;

import static org.assertj.core.api.Assertions.assertThat;

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
        new LagObserver(Map.of("first", () -> first, "second", () -> second), () -> now);
    observer.committed(100, Instant.EPOCH.plusNanos(100));
    observer.committed(150, Instant.EPOCH.plusNanos(150));
    now = 200;
    assertThat(observer.look()).isTrue();
    assertThat(observer.lags("first").getTotalCount()).isZero();
    first = Instant.EPOCH.plusNanos(149);
    second = Instant.EPOCH.plusNanos(150);
    now = 300;
    assertThat(observer.look()).as("the second commit at the first way").isTrue();
    assertThat(observer.lags("first").getMaxValue()).isEqualTo(200);
    assertThat(observer.lags("second").getTotalCount()).isEqualTo(2);
    assertThat(observer.lags("second").getMinValue()).isEqualTo(150);
    first = Instant.EPOCH.plusNanos(400);
    now = 450;
    assertThat(observer.look()).isFalse();
    assertThat(observer.lags("first").getMaxValue()).isEqualTo(300);
    assertThat(observer.lags("third").getTotalCount()).isZero();
    observer.forget();
    assertThat(observer.lags("first").getTotalCount()).isZero();
  }

  @Test
  void whatIsDeliveredByTheEndIsMeasured() {
    LagObserver observer = new LagObserver(Map.of("first", () -> first), () -> now);
    observer.start();
    observer.committed(100, Instant.EPOCH.plusNanos(100));
    first = Instant.EPOCH.plusNanos(100);
    now = 130;
    observer.close();
    assertThat(observer.lags("first").getTotalCount()).isEqualTo(1);
  }
}
