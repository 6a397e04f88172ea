package dev.warmshelf.journal;

import static org.assertj.core.api.Assertions.assertThat;

import java.time.Duration;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;

class JournalPollTest {
  @ParameterizedTest
  @CsvSource({
    "0, 500",
    "1, 500",
    "10, 500",
    "11, 550",
    "100, 5000",
    "199, 9950",
    "200, 10000",
    "6000, 10000",
    "3600000, 10000"
  })
  void aLookAtTheTriggersThatTookLongLeavesNobodyBlindForLong(long tookMillis, long nextMillis) {
    assertThat(JournalPoll.intervalAfter(Duration.ofMillis(tookMillis).toNanos()))
        .isEqualTo(Duration.ofMillis(nextMillis).toNanos());
  }
}
