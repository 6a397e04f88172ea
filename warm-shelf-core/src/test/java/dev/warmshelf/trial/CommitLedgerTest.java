package dev.warmshelf.trial;

import static org.assertj.core.api.Assertions.assertThat;

import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.OptionalLong;
import java.util.Random;
import org.junit.jupiter.api.Test;

class CommitLedgerTest {
  private final CommitLedger<String> ledger = new CommitLedger<>();

  @Test
  void anAnswerIsStaleFromTheFirstCommitItMisses() {
    ledger.committed("sailing 4", 2, 100);
    ledger.committed("sailing 4", 3, 250);
    assertThat(ledger.staleness("sailing 4", 1, 400)).hasValue(300);
    assertThat(ledger.staleness("sailing 4", 2, 400)).hasValue(150);
    assertThat(ledger.staleness("sailing 4", 3, 400)).isEmpty();
  }

  @Test
  void aCommitThatReturnedAfterTheReadBeganIsNotMissed() {
    ledger.committed("sailing 4", 2, 100);
    assertThat(ledger.staleness("sailing 4", 1, 99)).isEmpty();
    assertThat(ledger.staleness("sailing 4", 1, 100)).isEmpty();
    assertThat(ledger.staleness("sailing 4", 1, 101)).hasValue(1);
  }

  @Test
  void scopesNobodyWroteAreNeverStale() {
    assertThat(ledger.staleness("sailing 5", 1, 1_000)).isEmpty();
  }

  @Test
  void nothingIsCertainWhileACommitIsUnderWay() {
    assertThat(ledger.isSettled()).isTrue();
    long before = ledger.sequence();
    ledger.commitBegins();
    ledger.commitBegins();
    assertThat(ledger.isSettled()).isFalse();
    ledger.committed("sailing 4", 2, 100);
    ledger.commitIsOver();
    assertThat(ledger.isSettled()).isFalse();
    assertThat(ledger.sequence()).isGreaterThan(before);
    ledger.commitIsOver();
    assertThat(ledger.isSettled()).isTrue();
    assertThat(ledger.firstMissed(Map.of("sailing 4", 1L, "sailing 5", 0L))).hasValue(100);
    assertThat(ledger.firstMissed(Map.of("sailing 4", 2L))).isEmpty();
  }

  @Test
  void agreesWithASearchThroughAllCommits() {
    Random random = new Random(11);
    List<long[]> commits = new ArrayList<>();
    for (int i = 0; i < 3_000; i++) {
      long version = random.nextInt(400);
      long returned = version * 10 + random.nextInt(60);
      commits.add(new long[] {version, returned});
      ledger.committed("s", version, returned);
      long seen = random.nextInt(400);
      long began = random.nextInt(4_000);
      long worst =
          commits.stream()
              .filter(c -> c[0] > seen && c[1] < began)
              .mapToLong(c -> began - c[1])
              .max()
              .orElse(-1);
      OptionalLong expected = worst < 0 ? OptionalLong.empty() : OptionalLong.of(worst);
      assertThat(ledger.staleness("s", seen, began)).isEqualTo(expected);
    }
  }
}
