package dev.warmshelf.shelf;

import static org.assertj.core.api.Assertions.assertThat;

import dev.warmshelf.fresh.Board;
import dev.warmshelf.fresh.SystemTime;
import dev.warmshelf.fresh.Watermark;
import dev.warmshelf.key.Footprint;
import dev.warmshelf.key.Form;
import dev.warmshelf.key.Key;
import dev.warmshelf.key.Lane;
import java.time.Duration;
import java.util.ArrayList;
import java.util.List;
import java.util.concurrent.CountDownLatch;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import java.util.concurrent.Future;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.atomic.AtomicInteger;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.Timeout;

@Timeout(value = 60, threadMode = Timeout.ThreadMode.SEPARATE_THREAD)
class SingleFlightTest {
  private static final Lane BOOKING = Lane.ofTable("public", "booking");
  private static final Footprint BOOKINGS = Footprint.of(BOOKING);
  private static final Key KEY = Key.of(Form.of("test", "q"), new String[0], new Object[0]);

  private final SystemTime time = SystemTime.start();
  private final Board board = new Board();
  private final Shelf shelf =
      new Shelf(
          "test", Policy.standard().tolerating(Duration.ofDays(1)), board, time, Shelf.Trust.FEED);
  private final AtomicInteger loads = new AtomicInteger();
  private final CountDownLatch loadIsUnderWay = new CountDownLatch(1);
  private final CountDownLatch loadMayEnd = new CountDownLatch(1);
  private final List<Thread> readers = new ArrayList<>();
  private final ExecutorService pool =
      Executors.newCachedThreadPool(
          run -> {
            Thread thread = new Thread(run);
            readers.add(thread);
            return thread;
          });

  SingleFlightTest() {
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
    assertThat(shelf.meters().snapshot().joined()).isEqualTo(15);
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
  void whoWaitedForALoadThatFailedLoadsOnItsOwn() throws Exception { // R13
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
    for (int i = 0; i < 4; i++) {
      waiting.add(pool.submit(() -> read(() -> 8)));
    }
    awaitBlocked(5);
    loadMayEnd.countDown();
    assertThat(failing).failsWithin(Duration.ofSeconds(10));
    for (Future<Reading<Integer>> reading : waiting) {
      assertThat(reading.get().value()).isEqualTo(8);
    }
  }

  @Test
  void anInterruptedWaiterStopsWaitingAndKeepsItsInterrupt() throws Exception {
    pool.execute(() -> read(() -> slowly(7)));
    loadIsUnderWay.await();
    Future<Boolean> waiter =
        pool.submit(() -> read(() -> 8).value() == 8 && Thread.currentThread().isInterrupted());
    awaitBlocked(2);
    readers.get(1).interrupt();
    assertThat(waiter.get(10, TimeUnit.SECONDS)).isTrue();
  }

  @Test
  void whoWaitedForAnAnswerWhoseOwnLanesChangedMeanwhileLoadsOnItsOwn() throws Exception {
    // Only the answer tells that it stands on a booking; the one who waits cannot know before.
    Future<Reading<Integer>> early = pool.submit(() -> readTold(() -> slowly(7)));
    loadIsUnderWay.await();
    board.tick(List.of(BOOKING));
    Future<Reading<Integer>> late = pool.submit(() -> readTold(() -> 8));
    awaitBlocked(2);
    loadMayEnd.countDown();
    assertThat(early.get().value()).isEqualTo(7);
    assertThat(late.get().value()).isEqualTo(8);
  }

  private Reading<Integer> readTold(Loader<Integer, RuntimeException> loader) {
    return shelf.<Integer, Integer, RuntimeException>read(
        KEY,
        new Inquiry<>() {
          @Override
          public Footprint lanes() {
            return Footprint.NOTHING;
          }

          @Override
          public Integer load() {
            return loader.load();
          }

          @Override
          public Footprint lanes(Footprint before, Integer answer) {
            return BOOKINGS;
          }
        },
        value -> value);
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

  /** Waits until so many readers are parked on a latch: the loader on its own, the others on it. */
  private void awaitBlocked(int count) {
    long deadline = System.nanoTime() + TimeUnit.SECONDS.toNanos(20);
    while (List.copyOf(readers).stream().filter(t -> t.getState() == Thread.State.WAITING).count()
        < count) {
      assertThat(System.nanoTime()).as("readers did not block").isLessThan(deadline);
      Thread.onSpinWait();
    }
  }
}
