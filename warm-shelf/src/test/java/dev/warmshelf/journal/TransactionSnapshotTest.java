package dev.warmshelf.journal;

import static org.assertj.core.api.Assertions.assertThat;

import java.util.Random;
import java.util.Set;
import java.util.TreeSet;
import java.util.stream.Collectors;
import java.util.stream.IntStream;
import org.junit.jupiter.api.Test;

class TransactionSnapshotTest {
  private static TransactionSnapshot read(String text) {
    TransactionSnapshot read = TransactionSnapshot.read(text);
    assertThat(read).as(text).isNotNull();
    return java.util.Objects.requireNonNull(read);
  }

  @Test
  void coversWhatHadEnded() {
    assertThat(read("5:5:").covers(read("5:5:"))).isTrue();
    assertThat(read("5:6:").covers(read("5:5:"))).isTrue();
    assertThat(read("5:5:").covers(read("5:6:"))).isFalse();
    assertThat(read("5:7:5").covers(read("5:5:"))).isTrue();
    assertThat(read("5:7:5").covers(read("5:6:"))).isFalse();
    assertThat(read("5:5:").covers(read("5:7:5,6"))).as("both are open there").isTrue();
    assertThat(TransactionSnapshot.read("5:7")).isNull();
    assertThat(TransactionSnapshot.read("5:7:x")).isNull();
  }

  @Test
  void isContainmentOfSets() {
    Random random = new Random(7);
    int covered = 0;
    for (int i = 0; i < 20_000; i++) {
      Set<Integer> one = new TreeSet<>();
      Set<Integer> other = new TreeSet<>();
      boolean covers = read(random, one).covers(read(random, other));
      assertThat(covers).isEqualTo(one.containsAll(other));
      covered += covers ? 1 : 0;
    }
    assertThat(covered).isGreaterThan(1_000);
  }

  /** One of few transactions, so that each is often in both. */
  private static TransactionSnapshot read(Random random, Set<Integer> ended) {
    int first = 3 + random.nextInt(3);
    int end = first + random.nextInt(4);
    Set<Integer> open =
        IntStream.range(first, end)
            .filter(number -> number == first || random.nextBoolean())
            .boxed()
            .collect(Collectors.toCollection(TreeSet::new));
    IntStream.range(0, end).filter(number -> !open.contains(number)).forEach(ended::add);
    String list = open.stream().map(String::valueOf).collect(Collectors.joining(","));
    return read(first + ":" + end + ":" + list);
  }
}
