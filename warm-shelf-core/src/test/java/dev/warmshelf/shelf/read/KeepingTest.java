package dev.warmshelf.shelf.read;

import static java.time.Duration.ofMillis;
import static java.time.Duration.ofMinutes;
import static java.time.Duration.ofSeconds;
import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import dev.warmshelf.meter.Count;
import dev.warmshelf.plan.Footprint;
import dev.warmshelf.shelf.Capacity;
import dev.warmshelf.shelf.Expiry;
import dev.warmshelf.shelf.Leaving;
import dev.warmshelf.shelf.OldAnswers;
import dev.warmshelf.shelf.Origin;
import dev.warmshelf.shelf.Reading;
import dev.warmshelf.shelf.Renewal;
import java.io.IOException;
import java.time.Instant;
import java.time.LocalTime;
import java.time.ZoneId;
import org.jspecify.annotations.Nullable;
import org.junit.jupiter.api.Tag;
import org.junit.jupiter.api.Test;

/** How long answers stay: their ends, what leaves by itself, and what is renewed ahead. */
class KeepingTest {
  private final Questions db = new Questions();

  @Test
  void whatIsNotUsedExpires() throws IOException {
    AnswerShelf shelf =
        db.shelf(policy -> policy.expiring(Expiry.never().andUnusedFor(ofSeconds(30))));
    db.read(shelf, 1);
    for (int i = 0; i < 10; i++) {
      db.pass(ofSeconds(29));
      Reading<@Nullable Integer> hit = db.read(shelf, 1);
      assertThat(hit.origin()).isEqualTo(Origin.KEPT);
      assertThat(hit.remainingTtl()).contains(ofSeconds(30));
    }
    db.pass(ofSeconds(30));
    assertThat(db.read(shelf, 1).origin()).isEqualTo(Origin.LOADED);
  }

  @Test
  void anAnswerEndsAtAMoment() throws IOException {
    Instant end = db.time.wall().plus(ofMinutes(3));
    AnswerShelf shelf =
        db.shelf(policy -> policy.expiring(Expiry.never().andAt(Expiry.End.at(end))));
    db.read(shelf, 1);
    db.time.jumpWallClock(ofMinutes(-90));
    db.pass(ofMinutes(3).minus(db.loadTime).minusNanos(1));
    assertThat(db.read(shelf, 1).origin()).isEqualTo(Origin.KEPT);
    db.pass(ofMillis(1));
    assertThat(db.read(shelf, 1).origin()).isEqualTo(Origin.LOADED);
    db.time.jumpWallClock(ofMinutes(200));
    db.read(shelf, 2);
    assertThat(db.read(shelf, 2).origin()).as("its end is over").isEqualTo(Origin.LOADED);
    assertThat(shelf.meters().snapshot().get(Count.NOT_KEPT)).isEqualTo(2);
  }

  @Test
  void everyDayAtATimeAsTheClocksGo() {
    ZoneId stockholm = ZoneId.of("Europe/Stockholm");
    Expiry.End end = Expiry.End.daily(LocalTime.of(4, 0), stockholm);
    assertThat(end.after(Instant.parse("2026-06-01T01:59:59Z")))
        .isEqualTo(Instant.parse("2026-06-01T02:00:00Z"));
    assertThat(end.after(Instant.parse("2026-06-01T02:00:00Z")))
        .isEqualTo(Instant.parse("2026-06-02T02:00:00Z"));
    assertThat(end.after(Instant.parse("2026-10-24T12:00:00Z")))
        .as("after the clocks were set back")
        .isEqualTo(Instant.parse("2026-10-25T03:00:00Z"));
  }

  @Test
  void emptyAnswersHaveALifeOfTheirOwn() throws IOException {
    AnswerShelf brief =
        db.shelf(policy -> policy.expiring(policy.expiry().andEmptyAfter(ofSeconds(5))));
    AnswerShelf none =
        db.shelf(policy -> policy.expiring(policy.expiry().andEmptyAfter(ofSeconds(0))));
    db.number = null;
    db.read(brief, 1);
    db.read(none, 1);
    assertThat(db.read(brief, 1).origin()).isEqualTo(Origin.KEPT);
    assertThat(db.read(none, 1).origin()).isEqualTo(Origin.LOADED);
    db.pass(ofSeconds(5));
    assertThat(db.read(brief, 1).origin()).isEqualTo(Origin.LOADED);
    db.number = 7;
    db.read(none, 2);
    assertThat(db.read(none, 2).origin()).isEqualTo(Origin.KEPT);
  }

  @Test
  void aQuestionHasAnEndOfItsOwn() throws IOException {
    AnswerShelf shelf = db.shelf(policy -> policy);
    Questions.Asking brief =
        db.new Asking() {
          @Override
          public Expiry expiry() {
            return Expiry.after(ofSeconds(1));
          }
        };
    db.read(shelf, 1, brief);
    db.read(shelf, 2);
    db.pass(ofSeconds(1));
    assertThat(db.read(shelf, 1).origin()).isEqualTo(Origin.LOADED);
    assertThat(db.read(shelf, 2).origin()).isEqualTo(Origin.KEPT);
  }

  @Test
  void whatIsOutLeavesThoughNobodyAsks() throws IOException {
    AnswerShelf shelf = db.shelf(policy -> policy.ttl(ofSeconds(20)));
    db.read(shelf, 1);
    db.change(41);
    db.read(shelf, 2);
    db.pass(ofSeconds(2));
    db.upkeep.round();
    assertThat(shelf.size()).as("the first is out of date").isEqualTo(1);
    assertThat(shelf.meters().snapshot().get(Count.INVALIDATED)).isEqualTo(1);
    db.pass(ofSeconds(20));
    db.upkeep.round();
    assertThat(shelf.size()).as("the second has expired").isZero();
    assertThat(shelf.meters().snapshot().get(Count.EXPIRED)).isEqualTo(1);
    db.read(shelf, 3);
    shelf.clear();
    db.pass(ofSeconds(2));
    db.upkeep.round();
    assertThat(shelf.size()).isZero();
  }

  @Test
  void anOldAnswerStaysAsLongAsItMayBeServed() throws IOException {
    AnswerShelf shelf =
        db.shelf(policy -> policy.serving(OldAnswers.none().orWhenFailing(ofSeconds(60))));
    db.read(shelf, 1);
    db.change(41);
    db.pass(ofSeconds(59));
    db.upkeep.round();
    assertThat(shelf.size()).isEqualTo(1);
    db.change(42);
    db.pass(ofSeconds(2));
    db.upkeep.round();
    assertThat(shelf.size()).isZero();
  }

  @Test
  void whatIsAskedForIsRenewedAheadAndTheNextCallerFindsAHit() throws IOException {
    AnswerShelf shelf = db.shelf(policy -> policy.renewing(Renewal.mending().ahead(0.5)));
    db.read(shelf, 1);
    db.read(shelf, 1);
    db.read(shelf, 2); // and nobody asks for that again
    db.pass(ofSeconds(1));
    db.change(41);
    db.upkeep.round();
    db.runBackground();
    assertThat(db.loads).isEqualTo(3);
    Reading<@Nullable Integer> hit = db.read(shelf, 1);
    assertThat(hit.origin()).isEqualTo(Origin.KEPT);
    assertThat(hit.value()).isEqualTo(41);
    assertThat(shelf.meters().snapshot().get(Count.AHEAD)).isEqualTo(1);
    db.change(42);
    db.pass(ofSeconds(10));
    db.upkeep.round();
    db.runBackground();
    db.change(43);
    db.pass(ofSeconds(10));
    db.upkeep.round();
    db.runBackground();
    assertThat(db.loads).as("not asked for since").isEqualTo(4);
  }

  @Tag("thorough")
  @Test
  void renewingAheadCostsNoMoreOfTheDatabasesTimeThanItMay() throws IOException {
    AnswerShelf shelf = db.shelf(policy -> policy.renewing(Renewal.mending().ahead(0.2)));
    for (int id = 0; id < 20; id++) {
      db.read(shelf, id);
      db.deliver();
    }
    for (int second = 0; second < 100; second++) {
      for (int id = 0; id < 20; id++) {
        db.read(shelf, id); // kept in use
        db.deliver();
      }
      db.change(second);
      for (int step = 0; step < 40; step++) {
        db.pass(ofMillis(50));
        db.upkeep.round();
        db.runBackground();
      }
    }
    double spent = shelf.meters().snapshot().get(Count.AHEAD) * db.loadTime.toMillis() / 1e3;
    double passed = (db.time.nanos() - 1e9) / 1e9;
    assertThat(spent).isBetween(0.1 * passed, 0.21 * passed);
  }

  @Test
  void whatIsUnderWayAlreadyCostsNothingMore() throws IOException {
    AnswerShelf shelf = db.shelf(policy -> policy.renewing(Renewal.mending().ahead(0.5)));
    db.read(shelf, 1);
    db.read(shelf, 1);
    db.pass(ofSeconds(1));
    for (int round = 0; round < 50; round++) { // and no thread comes to it
      db.change(round);
      db.pass(ofMillis(20));
      db.upkeep.round();
    }
    db.runBackground();
    assertThat(shelf.meters().snapshot().get(Count.AHEAD)).isEqualTo(1);
    for (int id = 1; id <= 4; id++) {
      db.read(shelf, id);
      db.read(shelf, id);
      db.deliver();
    }
    db.change(99);
    db.upkeep.round();
    db.runBackground();
    assertThat(shelf.meters().snapshot().get(Count.AHEAD)).isEqualTo(5);
  }

  @Test
  void aRenewalThatComesTooLateIsNoCallersRead() throws IOException {
    AnswerShelf shelf = db.shelf(policy -> policy.serving(OldAnswers.whileLoading(ofSeconds(60))));
    db.read(shelf, 1);
    db.change(41);
    Questions.Asking strict =
        db.new Asking() {
          @Override
          public OldAnswers old() {
            return OldAnswers.none();
          }
        };
    Questions.Asking late =
        db.new Asking() {
          @Override
          public Footprint lanes() {
            try {
              db.read(shelf, 1, strict); // somebody else loads it just before
            } catch (IOException e) {
              throw new AssertionError(e);
            }
            return super.lanes();
          }
        };
    Read.renew(shelf.state(), Questions.key(1), late);
    assertThat(db.loads).isEqualTo(2);
    assertThat(shelf.meters().snapshot().get(Count.JOINED)).isZero();
    assertThat(shelf.meters().snapshot().databaseReads()).isEqualTo(2);
  }

  @Test
  void theBoundIsInBytesAndWhatIsTooLargeIsGivenAndNotKept() throws IOException {
    Capacity small = Capacity.bytes(10_000).largestShare(0.5).leaving(Leaving.LONGEST_UNUSED);
    AnswerShelf shelf = db.shelf(policy -> policy.holding(small));
    for (int id = 0; id < 100; id++) {
      db.read(shelf, id);
      db.pass(ofMillis(1));
      assertThat(shelf.held().values()).allMatch(held -> held.bytes() <= 10_000);
    }
    assertThat(shelf.size()).isBetween(10, 40);
    byte[] large = new byte[6_000];
    assertThat(
            shelf
                .<byte[], RuntimeException>read(
                    Questions.key(500), new Questions().new Asking().lanes(), () -> large)
                .value())
        .isSameAs(large);
    assertThat(shelf.get(Questions.key(500))).isNull();
    assertThat(shelf.meters().snapshot().get(Count.NOT_KEPT)).isEqualTo(1);
  }

  @Test
  void theSharedRoomIsTheSameForAll() {
    assertThatThrownBy(() -> Capacity.shared().leaving(Leaving.ANY))
        .hasMessageContaining("room of its own");
    assertThatThrownBy(() -> Capacity.ofHeap(1.5)).isInstanceOf(IllegalArgumentException.class);
    assertThatThrownBy(() -> Capacity.bytes(0)).isInstanceOf(IllegalArgumentException.class);
    assertThatThrownBy(() -> Capacity.bytes(9).largestShare(0))
        .isInstanceOf(IllegalArgumentException.class);
    assertThat(Capacity.shared().bytes()).isEqualTo(Runtime.getRuntime().maxMemory() / 4);
  }
}
