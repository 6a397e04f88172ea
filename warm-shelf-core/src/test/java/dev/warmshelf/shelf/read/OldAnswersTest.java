package dev.warmshelf.shelf.read;

import static java.time.Duration.ofMillis;
import static java.time.Duration.ofSeconds;
import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import dev.warmshelf.http.ReadingHeaders;
import dev.warmshelf.lane.Change;
import dev.warmshelf.lane.Lane;
import dev.warmshelf.meter.Count;
import dev.warmshelf.shelf.OldAnswers;
import dev.warmshelf.shelf.Origin;
import dev.warmshelf.shelf.Policy;
import dev.warmshelf.shelf.Reading;
import java.io.IOException;
import java.time.Duration;
import java.time.Instant;
import java.util.List;
import org.jspecify.annotations.Nullable;
import org.junit.jupiter.api.Test;

class OldAnswersTest {
  private final Questions db = new Questions();

  @Test
  void anOldAnswerIsServedWhileANewOneIsLoadedInTheBackground() throws IOException {
    AnswerShelf shelf = db.shelf(policy -> policy.serving(OldAnswers.whileLoading(ofSeconds(60))));
    db.read(shelf, 1);
    db.pass(ofSeconds(5));
    db.change(41);
    Reading<@Nullable Integer> old = db.read(shelf, 1);
    assertThat(old.value()).isEqualTo(40);
    assertThat(old.origin()).isEqualTo(Origin.OLD);
    assertThat(ReadingHeaders.cacheStatus("test", old))
        .startsWith("test; hit")
        .endsWith("; detail=old");
    assertThat(db.read(shelf, 1).origin()).isEqualTo(Origin.OLD);
    assertThat(db.background).as("asked for twice, loaded once").hasSize(1);
    db.runBackground();
    Reading<@Nullable Integer> fresh = db.read(shelf, 1);
    assertThat(fresh.value()).isEqualTo(41);
    assertThat(fresh.origin()).isEqualTo(Origin.KEPT);
    assertThat(db.loads).isEqualTo(2);
    assertThat(shelf.meters().snapshot().get(Count.OLD)).isEqualTo(2);
    assertThat(shelf.meters().snapshot().get(Count.AHEAD)).isEqualTo(1);
    assertThat(shelf.meters().snapshot().get(Count.INVALIDATED)).isEqualTo(1);
  }

  @Test
  void itsAgeCountsFromTheFirstChangeThatItMisses() throws IOException {
    AnswerShelf shelf = db.shelf(policy -> policy.serving(OldAnswers.whileLoading(ofSeconds(60))));
    db.read(shelf, 1);
    db.pass(Duration.ofMinutes(9)); // old in years, but it misses nothing
    Instant covered = db.time.wall();
    db.change(41);
    db.pass(ofSeconds(30));
    db.change(42);
    db.pass(ofSeconds(29));
    Reading<@Nullable Integer> old = db.read(shelf, 1);
    assertThat(old.origin()).isEqualTo(Origin.OLD);
    assertThat(old.freshAsOf()).isEqualTo(covered);
    db.pass(ofSeconds(2));
    assertThat(db.read(shelf, 1).value()).as("61 seconds after the first").isEqualTo(42);
  }

  @Test
  void withinABoundOneLoadIsMadeInHalfOfIt() throws IOException {
    AnswerShelf shelf = db.shelf(policy -> policy.serving(OldAnswers.within(ofSeconds(60))));
    db.read(shelf, 1);
    for (int second = 0; second < 300; second++) {
      db.change(second);
      db.pass(ofSeconds(1));
      Reading<@Nullable Integer> reading = db.read(shelf, 1);
      assertThat(reading.origin().isHit()).isTrue();
      Duration missing = Duration.between(reading.freshAsOf(), db.time.wall());
      assertThat(missing).isLessThanOrEqualTo(ofSeconds(32));
      db.runBackground();
    }
    assertThat(db.loads).isBetween(9, 11);
  }

  @Test
  void anAnswerThatAChangeOvertookIsKeptAsAnOldOne() throws IOException {
    AnswerShelf shelf = db.shelf(policy -> policy.serving(OldAnswers.within(ofSeconds(60))));
    db.read(
        shelf,
        1,
        db.new Asking() {
          @Override
          public @Nullable Integer load() throws IOException {
            Integer loaded = super.load();
            db.change(41);
            return loaded;
          }
        });
    assertThat(db.read(shelf, 1).origin()).isEqualTo(Origin.OLD);
    assertThat(shelf.meters().snapshot().get(Count.OVERTAKEN)).isZero();
  }

  @Test
  void whatWasClearedIsNeverServedAgain() throws IOException {
    Lane tag = Lane.ofTag("norra");
    List<Runnable> clearings =
        List.of(
            () -> db.board.tick(List.of(Questions.BOOKING)), // a table
            () -> db.board.tickEverything(),
            () -> db.board.noteSchemaChange());
    for (Runnable clearing : clearings) {
      AnswerShelf shelf =
          db.shelf(
              policy ->
                  policy.serving(
                      OldAnswers.whileLoading(ofSeconds(60)).orWhenFailing(ofSeconds(60))));
      db.read(shelf, 1);
      db.change(41);
      assertThat(db.read(shelf, 1).origin()).isEqualTo(Origin.OLD);
      clearing.run();
      assertThat(db.read(shelf, 1).origin()).isEqualTo(Origin.LOADED);
      shelf.clear(Questions.key(1));
      assertThat(db.read(shelf, 1).origin()).isEqualTo(Origin.LOADED);
      db.change(42);
      shelf.clear();
      assertThat(db.read(shelf, 1).origin()).isEqualTo(Origin.LOADED);
    }
    assertThat(tag.isData()).isFalse();
  }

  @Test
  void aCallerWhoWantsItFresherLoads() throws IOException {
    AnswerShelf shelf = db.shelf(policy -> policy.serving(OldAnswers.whileLoading(ofSeconds(60))));
    db.read(shelf, 1);
    db.change(41);
    db.pass(ofSeconds(10));
    Questions.Asking strict =
        db.new Asking() {
          @Override
          public OldAnswers old() {
            return OldAnswers.none();
          }
        };
    Questions.Asking bounded =
        db.new Asking() {
          @Override
          public long freshWithinNanos() {
            return ofSeconds(5).toNanos();
          }
        };
    assertThat(db.read(shelf, 1).origin()).isEqualTo(Origin.OLD);
    assertThat(db.read(shelf, 1, bounded).origin()).isEqualTo(Origin.LOADED);
    db.change(42);
    assertThat(db.read(shelf, 1, strict).value()).isEqualTo(42);
  }

  @Test
  void aCallerWhoTakesThemGetsOneThatThePolicyHolds() throws IOException {
    AnswerShelf shelf = servingWhenFailing();
    db.read(shelf, 1);
    db.change(41);
    Questions.Asking lenient =
        db.new Asking() {
          @Override
          public OldAnswers old() {
            return OldAnswers.within(ofSeconds(10));
          }
        };
    assertThat(db.read(shelf, 1, lenient).origin()).isEqualTo(Origin.OLD);
    assertThat(db.read(shelf, 1).origin()).isEqualTo(Origin.LOADED);
  }

  @Test
  void whenTheDatabaseFailsAnOldAnswerIsServedWithinItsBound() throws IOException {
    AnswerShelf shelf = servingWhenFailing();
    db.read(shelf, 1);
    db.change(41);
    db.down = new IOException("down");
    db.pass(ofSeconds(10));
    Reading<@Nullable Integer> old = db.read(shelf, 1);
    assertThat(old.value()).isEqualTo(40);
    assertThat(old.origin()).isEqualTo(Origin.OLD);
    assertThat(shelf.meters().snapshot().get(Count.OLD_ON_FAILURE)).isEqualTo(1);
    assertThat(shelf.meters().snapshot().get(Count.LOAD_FAILURES)).isEqualTo(1);
    db.pass(ofSeconds(51));
    assertThatThrownBy(() -> db.read(shelf, 1)).hasMessage("down");
    db.down = null;
    assertThat(db.read(shelf, 1).value()).isEqualTo(41);
  }

  @Test
  void thatHoldsWhileTheFeedIsLostWithTheDatabase() throws IOException {
    AnswerShelf shelf = servingWhenFailing();
    db.read(shelf, 1);
    Instant delivered = db.time.wall();
    db.deliver();
    db.down = new IOException("down");
    db.time.pass(ofSeconds(50)); // and nothing is delivered any more
    Reading<@Nullable Integer> old = db.read(shelf, 1);
    assertThat(old.origin()).isEqualTo(Origin.OLD);
    assertThat(old.freshAsOf()).isEqualTo(delivered);
    db.time.pass(ofSeconds(11));
    assertThatThrownBy(() -> db.read(shelf, 1)).hasMessage("down");
  }

  @Test
  void anErrorOfTheQuestionIsTheCallers() throws IOException {
    AnswerShelf shelf = servingWhenFailing();
    db.read(shelf, 1);
    db.change(41);
    db.down = new IOException("division by zero");
    Questions.Asking wrong =
        db.new Asking() {
          @Override
          public boolean isOfDatabase(Exception error) {
            return false;
          }
        };
    assertThatThrownBy(() -> db.read(shelf, 1, wrong)).hasMessage("division by zero");
  }

  @Test
  void whereNothingIsDoneInTheBackgroundOneCallerLoadsAndTheOthersGetTheOldOne() throws Exception {
    Ground alone = Ground.of(db.board, db.time, Ground.Trust.FEED);
    AnswerShelf shelf =
        new AnswerShelf(
            "test", Policy.standard().serving(OldAnswers.whileLoading(ofSeconds(60))), alone);
    db.read(shelf, 1);
    db.change(41);
    Reading<@Nullable Integer> mine =
        db.read(
            shelf,
            1,
            db.new Asking() {
              @Override
              public @Nullable Integer load() throws IOException {
                Thread other =
                    new Thread(
                        () -> {
                          try {
                            assertThat(db.read(shelf, 1).origin()).isEqualTo(Origin.OLD);
                          } catch (IOException e) {
                            throw new AssertionError(e);
                          }
                        });
                Throwable[] failed = new Throwable[1];
                other.setUncaughtExceptionHandler((thread, error) -> failed[0] = error);
                other.start();
                try {
                  other.join();
                } catch (InterruptedException e) {
                  throw new AssertionError(e);
                }
                assertThat(failed[0]).isNull();
                return super.load();
              }
            });
    assertThat(mine.value()).isEqualTo(41);
  }

  @Test
  void boundsBelowZeroAreRefused() {
    assertThatThrownBy(() -> OldAnswers.within(ofSeconds(-1)))
        .isInstanceOf(IllegalArgumentException.class);
    assertThatThrownBy(() -> OldAnswers.none().orWhenFailing(ofMillis(-2)))
        .hasMessageContaining("PT-0.002S");
    assertThat(Change.atLarge(Questions.BOOKING).isAtLarge()).isTrue();
  }

  private AnswerShelf servingWhenFailing() {
    return db.shelf(policy -> policy.serving(OldAnswers.none().orWhenFailing(ofSeconds(60))));
  }
}
