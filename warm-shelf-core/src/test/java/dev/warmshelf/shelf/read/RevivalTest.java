package dev.warmshelf.shelf.read;

import static org.assertj.core.api.Assertions.assertThat;

import dev.warmshelf.http.ReadingHeaders;
import dev.warmshelf.lane.Change;
import dev.warmshelf.plan.Footprint;
import dev.warmshelf.plan.Interest;
import dev.warmshelf.shelf.Origin;
import dev.warmshelf.shelf.Reading;
import dev.warmshelf.shelf.Renewal;
import java.io.IOException;
import java.time.Duration;
import java.util.ArrayList;
import java.util.List;
import java.util.function.Predicate;
import org.jspecify.annotations.Nullable;
import org.junit.jupiter.api.Test;

/** What else is kept says of changes that they reach an answer, or that they cannot. */
class RevivalTest {
  private final Questions db = new Questions();
  private final AnswerShelf shelf = db.shelf(policy -> policy.renewing(Renewal.mending()));

  @Test
  void whatNoChangeReachesIsServed() throws IOException {
    read(touching -> false);
    db.change(40);
    List<Change> told = new ArrayList<>();
    Reading<@Nullable Integer> reading = read(told::addAll);
    assertThat(told).hasSize(1);
    assertThat(reading.origin()).isEqualTo(Origin.REVIVED);
    assertThat(ReadingHeaders.cacheStatus("test", reading)).endsWith("; detail=revived");
    assertThat(read(touching -> false).origin()).isEqualTo(Origin.KEPT);
    db.change(41);
    assertThat(read(touching -> false).value()).isEqualTo(41);
  }

  @Test
  void aLoadThatGivesTheSameSaysSo() throws IOException {
    assertThat(read(touching -> false).wasNeedless()).isFalse();
    db.change(40);
    Reading<@Nullable Integer> reading = read(touching -> false);
    assertThat(reading.wasNeedless()).isTrue();
    assertThat(reading.with("a caller's view").wasNeedless()).isTrue();
    assertThat(read(touching -> false).wasNeedless()).as("a hit").isFalse();
    db.change(41);
    assertThat(read(touching -> false).wasNeedless()).isFalse();
  }

  @Test
  void aChangeThatComesMeanwhileIsNotExcused() throws IOException {
    read(touching -> false);
    db.change(40);
    Reading<@Nullable Integer> reading =
        read(
            touching -> {
              db.change(41);
              return true;
            });
    assertThat(reading.value()).isEqualTo(41);
  }

  @Test
  void norIsItIfAnotherReaderHasSettledTheFirst() throws IOException {
    read(touching -> false);
    db.change(40);
    Reading<@Nullable Integer> reading =
        read(
            touching -> {
              try {
                assertThat(read(all -> true).origin()).isEqualTo(Origin.REVIVED);
              } catch (IOException e) {
                throw new AssertionError(e);
              }
              db.change(41); // as many changes as before are missing now
              return true;
            });
    assertThat(reading.value()).isEqualTo(41);
  }

  /** What a look at the changes may still save stays; for what nothing can, nobody looks. */
  @Test
  void whatAChangeOfEverythingHasPutOutLeaves() throws IOException {
    read(touching -> false);
    db.change(40);
    db.pass(Duration.ofSeconds(2));
    db.upkeep.round();
    assertThat(shelf.size()).isEqualTo(1);
    db.board.tickEverything();
    db.pass(Duration.ofSeconds(2));
    db.upkeep.round();
    assertThat(shelf.size()).isZero();
  }

  private Reading<@Nullable Integer> read(Predicate<List<Change>> cannotReach) throws IOException {
    return db.read(
        shelf,
        1,
        db.new Asking() {
          @Override
          public Interest interest(@Nullable Integer answer) {
            return Interest.inLanesOf(Footprint.of(Questions.BOOKING));
          }

          @Override
          public boolean cannotReach(List<Change> touching) {
            return cannotReach.test(touching);
          }
        });
  }
}
