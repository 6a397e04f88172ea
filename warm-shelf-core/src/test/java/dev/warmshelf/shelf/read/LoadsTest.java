package dev.warmshelf.shelf.read;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;
import static org.assertj.core.api.Assertions.catchThrowableOfType;

import dev.warmshelf.base.SystemTime;
import dev.warmshelf.fresh.Board;
import dev.warmshelf.fresh.Fence;
import dev.warmshelf.key.Key;
import dev.warmshelf.key.KeyShape;
import dev.warmshelf.lane.Lane;
import dev.warmshelf.meter.Count;
import dev.warmshelf.plan.Footprint;
import dev.warmshelf.shelf.EntryView.LoadedBy;
import dev.warmshelf.shelf.Loader;
import dev.warmshelf.shelf.Origin;
import dev.warmshelf.shelf.Policy;
import dev.warmshelf.shelf.Reading;
import dev.warmshelf.store.Entry;
import dev.warmshelf.store.Fill.Life;
import dev.warmshelf.time.Watermark;
import java.time.Duration;
import java.util.ArrayList;
import java.util.List;
import java.util.concurrent.CopyOnWriteArrayList;
import java.util.concurrent.CountDownLatch;
import java.util.concurrent.ExecutionException;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import java.util.concurrent.Future;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.atomic.AtomicBoolean;
import java.util.concurrent.atomic.AtomicInteger;
import java.util.concurrent.locks.LockSupport;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.Timeout;

@Timeout(value = 60, threadMode = Timeout.ThreadMode.SEPARATE_THREAD)
class LoadsTest {
  private static final Lane BOOKING = Lane.ofTable("public", "booking");
  private static final Footprint BOOKINGS = Footprint.of(BOOKING);
  private static final Key KEY = Key.of(KeyShape.of("test", "q"), new String[0], new Object[0]);

  private final SystemTime time = SystemTime.start();
  private final Board board = new Board();
  private final AnswerShelf shelf =
      new AnswerShelf(
          "test", Policy.standard().tolerating(Duration.ofDays(1)), board, time, Ground.Trust.FEED);
  private final AtomicInteger loads = new AtomicInteger();
  private final CountDownLatch loadIsUnderWay = new CountDownLatch(1);
  private final CountDownLatch loadMayEnd = new CountDownLatch(1);
  private final List<Thread> readers = new CopyOnWriteArrayList<>();
  private final ExecutorService pool =
      Executors.newCachedThreadPool(
          run -> {
            Thread thread = new Thread(run);
            readers.add(thread);
            return thread;
          });

  LoadsTest() {
    board.advance(Watermark.now(time));
  }

  @AfterEach
  void stop() {
    loadMayEnd.countDown();
    pool.shutdownNow();
    time.close();
  }

  @Test
  void aMissLoadsOnceHoweverManyAsk() throws Exception {
    List<Future<Reading<Integer>>> answers = new ArrayList<>();
    answers.add(pool.submit(() -> read(() -> slowly(7))));
    loadIsUnderWay.await();
    for (int i = 0; i < 15; i++) {
      answers.add(pool.submit(() -> read(() -> slowly(8))));
    }
    awaitBlocked(16);
    loadMayEnd.countDown();
    for (Future<Reading<Integer>> answer : answers) {
      assertThat(answer.get().value()).isEqualTo(7);
    }
    assertThat(loads).hasValue(1);
    assertThat(shelf.meters().snapshot().get(Count.JOINED)).isEqualTo(15);
    assertThat(shelf.meters().snapshot().databaseReads()).isEqualTo(1);
  }

  @Test
  void aLoadOlderThanADeliveredChangeIsNotShared() throws Exception {
    Future<Reading<Integer>> early = pool.submit(() -> read(() -> slowly(7)));
    loadIsUnderWay.await();
    board.tick(List.of(BOOKING));
    assertThat(read(() -> 8).value()).isEqualTo(8);
    loadMayEnd.countDown();
    assertThat(early.get().value()).isEqualTo(7);
    // The late one must not have replaced the younger answer.
    assertThat(read(() -> 9).value()).isEqualTo(8);
  }

  @Test
  void whoWaitedForALoadThatFailedGetsItsErrorAndNobodyLoadsAgain() throws Exception {
    Future<Reading<Integer>> failing =
        pool.submit(
            () ->
                read(
                    () -> {
                      slowly(0);
                      throw new IllegalStateException("statement timeout");
                    }));
    loadIsUnderWay.await();
    List<Future<Reading<Integer>>> waiting = new ArrayList<>();
    for (int i = 0; i < 200; i++) {
      waiting.add(pool.submit(() -> read(() -> slowly(8))));
    }
    awaitBlocked(201);
    loadMayEnd.countDown();
    assertThat(failing).failsWithin(Duration.ofSeconds(10));
    for (Future<Reading<Integer>> reading : waiting) {
      assertThat(reading)
          .failsWithin(Duration.ofSeconds(10))
          .withThrowableOfType(ExecutionException.class)
          .withMessageContaining("statement timeout");
    }
    assertThat(loads).hasValue(1);
    assertThat(read(() -> 9).value()).as("the error is not kept").isEqualTo(9);
  }

  @Test
  void anInterruptedWaiterIsTold() throws Exception {
    pool.execute(() -> read(() -> slowly(7)));
    loadIsUnderWay.await();
    Future<Boolean> waiter =
        pool.submit(
            () -> {
              WaitEndedException told =
                  catchThrowableOfType(WaitEndedException.class, () -> read(() -> 8));
              return told.wasInterrupted() && Thread.currentThread().isInterrupted();
            });
    awaitBlocked(2);
    readers.get(1).interrupt();
    assertThat(waiter.get(10, TimeUnit.SECONDS)).isTrue();
  }

  @Test
  void aWaiterWhoseTimeIsOverIsTold() throws Exception {
    pool.execute(() -> read(() -> slowly(7)));
    loadIsUnderWay.await();
    WaitEndedException told =
        catchThrowableOfType(
            WaitEndedException.class, () -> ask(shelf, patient(5_000_000, () -> slowly(8))));
    assertThat(told.wasInterrupted()).isFalse();
    assertThat(loads).hasValue(1);
  }

  @Test
  void whoMayNotWaitLoadsThoughTwoLoadsRun() throws Exception {
    pool.execute(() -> read(() -> slowly(7)));
    loadIsUnderWay.await();
    assertThat(ask(shelf, patient(0, () -> 8)).value()).isEqualTo(8);
    board.tick(List.of(BOOKING));
    pool.execute(() -> ask(shelf, patient(0, () -> slowly(9))));
    awaitBlocked(2);
    assertThat(ask(shelf, patient(0, () -> 10)).value()).isEqualTo(10);
  }

  @Test
  void aKeyThatChangesFasterThanItLoadsHasTwoLoadsAtMostAndNobodyReadsAnythingOlder()
      throws Exception {
    AtomicInteger database = new AtomicInteger();
    AtomicInteger ticked = new AtomicInteger();
    AtomicInteger running = new AtomicInteger();
    AtomicInteger most = new AtomicInteger();
    AtomicBoolean done = new AtomicBoolean();
    List<Future<Integer>> callers = new ArrayList<>();
    for (int i = 0; i < 16; i++) {
      callers.add(
          pool.submit(
              () -> {
                int reads = 0;
                for (; !done.get() || reads == 0; reads++) {
                  int told = ticked.get(); // no answer may be older
                  int answer =
                      read(() -> {
                            most.accumulateAndGet(running.incrementAndGet(), Math::max);
                            int value = database.get();
                            loads.incrementAndGet();
                            LockSupport.parkNanos(2_000_000);
                            running.decrementAndGet();
                            return value;
                          })
                          .value();
                  assertThat(answer).isGreaterThanOrEqualTo(told);
                }
                return reads;
              }));
    }
    for (int change = 1; change <= 400; change++) {
      int seen = loads.get();
      database.incrementAndGet();
      board.tick(List.of(BOOKING));
      ticked.incrementAndGet();
      while (change % 4 == 0 && loads.get() == seen) {
        Thread.onSpinWait();
      }
    }
    done.set(true);
    int reads = 0;
    for (Future<Integer> caller : callers) {
      reads += caller.get();
    }
    assertThat(most.get()).isEqualTo(Loads.MOST_AT_ONCE);
    assertThat(loads.get()).isLessThan(reads);
    assertThat(shelf.state().loads().size()).isZero();
  }

  @Test
  void whileTheFeedIsLostCallersShareTheLoadThatBeginsAfterTheyCame() throws Exception {
    AnswerShelf lost =
        new AnswerShelf("lost", Policy.standard(), new Board(), time, Ground.Trust.FEED);
    pool.execute(() -> ask(lost, patient(Long.MAX_VALUE, () -> slowly(1))));
    loadIsUnderWay.await();
    pool.execute(() -> ask(lost, patient(Long.MAX_VALUE, () -> slowly(2))));
    awaitBlocked(2); // both places are taken
    List<Future<Reading<Integer>>> late = new ArrayList<>();
    for (int i = 0; i < 200; i++) {
      late.add(pool.submit(() -> ask(lost, patient(Long.MAX_VALUE, () -> slowly(3)))));
    }
    awaitBlocked(202);
    loadMayEnd.countDown();
    for (Future<Reading<Integer>> reading : late) {
      assertThat(reading.get().value()).isEqualTo(3);
      assertThat(reading.get().origin()).isEqualTo(Origin.DIRECT);
      assertThat(reading.get().bypass()).hasValue("feed lost");
    }
    assertThat(loads).hasValue(3);
    assertThat(lost.meters().snapshot().databaseReads()).isEqualTo(3);
  }

  @Test
  void whoWantsItFresherThanTheLoadThatRunsDoesNotWaitForThat() throws Exception {
    pool.execute(() -> read(() -> slowly(7)));
    loadIsUnderWay.await();
    assertThat(ask(shelf, strict(() -> 8)).value()).isEqualTo(8);
  }

  @Test
  void aLoadThatIsStuckIsNotWaitedForLongerThanThePatience() throws Exception {
    AnswerShelf hasty =
        new AnswerShelf(
            "hasty",
            Policy.standard().tolerating(Duration.ofDays(1)).waitingAtMost(Duration.ofMillis(50)),
            board,
            time,
            Ground.Trust.FEED);
    for (int i = 0; i < 3; i++) { // three that hang, one after the other
      pool.execute(() -> ask(hasty, patient(Long.MAX_VALUE, () -> slowly(7))));
      awaitBlocked(i + 1);
    }
    assertThat(ask(hasty, patient(Long.MAX_VALUE, () -> 8)).value()).isEqualTo(8);
  }

  @Test
  void aLoadThatAsksItsOwnQuestionIsTold() {
    assertThatThrownBy(() -> read(() -> read(() -> 7).value()))
        .isInstanceOf(IllegalStateException.class)
        .hasMessageContaining("its own answer");
    Key other = Key.named("test", "other");
    assertThatThrownBy(
            () ->
                read(
                    () ->
                        shelf
                            .<Integer, RuntimeException>read(
                                other, BOOKINGS, () -> read(() -> 7).value())
                            .value()))
        .as("by way of another")
        .hasMessageContaining("its own answer");
  }

  @Test
  void twoLoadsThatAskEachOthersQuestionsDoNotWaitForEachOther() throws Exception {
    Key other = Key.named("test", "other");
    CountDownLatch bothLoad = new CountDownLatch(2);
    Future<Integer> one =
        pool.submit(
            () ->
                read(() -> {
                      meet(bothLoad);
                      return shelf
                          .<Integer, RuntimeException>read(other, BOOKINGS, () -> 1)
                          .value();
                    })
                    .value());
    Future<Integer> two =
        pool.submit(
            () ->
                shelf
                    .<Integer, RuntimeException>read(
                        other,
                        BOOKINGS,
                        () -> {
                          meet(bothLoad);
                          return read(() -> 2).value();
                        })
                    .value());
    assertThat(one.get(20, TimeUnit.SECONDS)).isIn(1, 2);
    assertThat(two.get(20, TimeUnit.SECONDS)).isIn(1, 2);
  }

  @Test
  void whoClearedAKeyDoesNotJoinALoadFromBefore() throws Exception {
    Future<Reading<Integer>> early = pool.submit(() -> read(() -> slowly(1)));
    loadIsUnderWay.await();
    shelf.clear(KEY);
    assertThat(read(() -> 2).value()).isEqualTo(2);
    shelf.clear();
    assertThat(read(() -> 3).value()).isEqualTo(3);
    loadMayEnd.countDown();
    assertThat(early.get().value()).isEqualTo(1);
    assertThat(read(() -> 4).value()).isEqualTo(3);
  }

  @Test
  void anAnswerWhoseLanesWereWorkedOutForAnotherSchemaIsForItsCallerAlone() {
    long judged = board.schemaVersion();
    board.noteSchemaChange();
    assertThat(ask(shelf, judgedAt(judged, () -> 1)).value()).isEqualTo(1);
    assertThat(shelf.size()).isZero();
    assertThat(ask(shelf, judgedAt(board.schemaVersion(), () -> 2)).value()).isEqualTo(2);
    assertThat(shelf.size()).isEqualTo(1);
    // The schema changes during the load: the change itself invalidates it.
    shelf.clear();
    long now = board.schemaVersion();
    ask(
        shelf,
        judgedAt(
            now,
            () -> {
              board.noteSchemaChange();
              return 3;
            }));
    assertThat(read(() -> 4).value()).isEqualTo(4);
  }

  @Test
  void whoWaitedForAnAnswerWhoseOwnLanesChangedMeanwhileLoadsOnItsOwn() throws Exception {
    // Only the answer tells that it depends on a booking; the one who waits cannot know before.
    Future<Reading<Integer>> early = pool.submit(() -> readTold(() -> slowly(7)));
    loadIsUnderWay.await();
    board.tick(List.of(BOOKING));
    Future<Reading<Integer>> late = pool.submit(() -> readTold(() -> 8));
    awaitBlocked(2);
    loadMayEnd.countDown();
    assertThat(early.get().value()).isEqualTo(7);
    assertThat(late.get().value()).isEqualTo(8);
  }

  /** Whoever begins the load for all may be content with what he finds; others need not be. */
  @Test
  void whatWasFoundElsewhereIsNotGivenToWhoWantsItFresher() throws Exception {
    Fence before = new Fence(board.lastTick() + 1, time.nanos());
    pool.execute(() -> ask(shelf, strict(() -> slowly(1))));
    pool.execute(() -> ask(shelf, strict(() -> slowly(2))));
    awaitBlocked(2); // both places are taken
    board.tick(List.of(BOOKING));
    Entry found =
        shelf.entryOf(
            LoadedBy.OTHER_PROCESS, KEY, 5, BOOKINGS, before, before.nanos(), Life.WITHOUT_END);
    List<Future<Reading<Integer>>> content = new ArrayList<>();
    for (int i = 0; i < 20; i++) {
      content.add(pool.submit(() -> ask(shelf, finding(found))));
    }
    Future<Reading<Integer>> late = pool.submit(() -> ask(shelf, strict(() -> 9)));
    awaitBlocked(23);
    loadMayEnd.countDown();
    assertThat(late.get().value()).isEqualTo(9);
    for (Future<Reading<Integer>> reading : content) {
      assertThat(reading.get().value()).isIn(5, 9);
    }
    assertThat(shelf.meters().snapshot().get(Count.SHARED)).isLessThanOrEqualTo(1);
  }

  private static Asking finding(Entry elsewhere) {
    return new Asking(BOOKINGS, () -> 7) {
      @Override
      public Others fromOthers() {
        return (key, takesOver, waitNanos) ->
            new Others.Turn() {
              @Override
              public Others.Found found() {
                return takesOver.test(elsewhere)
                    ? new Others.Found.Answer(elsewhere)
                    : new Others.Found.Nothing(false);
              }

              @Override
              public void loaded(Entry entry) {}

              @Override
              public void close() {}
            };
      }
    };
  }

  private Reading<Integer> readTold(Loader<Integer, RuntimeException> loader) {
    return ask(
        shelf,
        new Asking(Footprint.NOTHING, loader) {
          @Override
          public Footprint lanes(Footprint before, Integer answer) {
            return BOOKINGS;
          }
        });
  }

  /** What tests ask; each changes what it is about. */
  private static class Asking implements ReadRequest<Integer, RuntimeException> {
    private final Footprint lanes;
    private final Loader<Integer, RuntimeException> loader;

    Asking(Footprint lanes, Loader<Integer, RuntimeException> loader) {
      this.lanes = lanes;
      this.loader = loader;
    }

    @Override
    public Footprint lanes() {
      return lanes;
    }

    @Override
    public Integer load() {
      return loader.load();
    }
  }

  private static Asking patient(long waitLimitNanos, Loader<Integer, RuntimeException> loader) {
    return new Asking(BOOKINGS, loader) {
      @Override
      public long waitLimitNanos() {
        return waitLimitNanos;
      }
    };
  }

  private static Asking strict(Loader<Integer, RuntimeException> loader) {
    return new Asking(BOOKINGS, loader) {
      @Override
      public long freshWithinNanos() {
        return 0;
      }
    };
  }

  private static Asking judgedAt(long version, Loader<Integer, RuntimeException> loader) {
    return new Asking(BOOKINGS, loader) {
      @Override
      public boolean holdsFor(long schemaVersion) {
        return schemaVersion == version;
      }
    };
  }

  private static Reading<Integer> ask(AnswerShelf shelf, Asking asking) {
    return shelf.<Integer, Integer, RuntimeException>read(KEY, asking, value -> value);
  }

  private static void meet(CountDownLatch all) {
    all.countDown();
    try {
      all.await();
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
    }
  }

  private int slowly(int answer) {
    loads.incrementAndGet();
    loadIsUnderWay.countDown();
    try {
      loadMayEnd.await();
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
    }
    return answer;
  }

  private Reading<Integer> read(Loader<Integer, RuntimeException> loader) {
    return shelf.<Integer, RuntimeException>read(KEY, BOOKINGS, loader);
  }

  /** Waits until so many readers stand still: the loader on a latch, the others in its line. */
  private void awaitBlocked(int count) {
    long deadline = System.nanoTime() + TimeUnit.SECONDS.toNanos(20);
    while (List.copyOf(readers).stream().filter(LoadsTest::standsStill).count() < count) {
      assertThat(System.nanoTime()).as("readers did not block").isLessThan(deadline);
      Thread.onSpinWait();
    }
  }

  private static boolean standsStill(Thread thread) {
    return thread.getState() == Thread.State.WAITING
        || thread.getState() == Thread.State.TIMED_WAITING;
  }
}
