package dev.warmshelf.shelf;

import dev.warmshelf.fresh.Board;
import dev.warmshelf.fresh.TimeSource;
import dev.warmshelf.meter.Finding;
import dev.warmshelf.meter.Meters;
import dev.warmshelf.store.Entry;
import java.time.Duration;
import java.util.concurrent.ArrayBlockingQueue;
import java.util.concurrent.BlockingQueue;
import java.util.concurrent.Callable;
import java.util.concurrent.ThreadLocalRandom;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.atomic.AtomicInteger;
import org.jspecify.annotations.Nullable;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;

/**
 * Reads a sample of one shelf's hits again directly, and compares. A thread of its own does it, no
 * more often than the policy allows; a hit that finds the auditor busy is not audited.
 *
 * <p>An answer that differs is judged once the feed has delivered everything that had been
 * committed by then: if it has been invalidated it was late, if it holds still nothing would ever
 * have invalidate it.
 */
final class Auditor implements AutoCloseable {
  private static final Logger LOG = LoggerFactory.getLogger(Auditor.class);
  private static final int WAITING_AT_MOST = 16;
  private static final Duration PATIENCE = Duration.ofSeconds(5);

  private final String shelf;
  private final Audit plan;
  private final Board board;
  private final TimeSource time;
  private final Meters meters;
  private final int threshold;
  private final BlockingQueue<Task> tasks = new ArrayBlockingQueue<>(WAITING_AT_MOST);
  private final Thread thread;
  private final AtomicInteger underWay = new AtomicInteger();
  private volatile boolean closed;

  /** How a hit is read again: whether the answer is the same now. */
  private record Task(Entry entry, Callable<Boolean> holds) {}

  Auditor(String shelf, Audit plan, Board board, TimeSource time, Meters meters) {
    this.shelf = shelf;
    this.plan = plan;
    this.board = board;
    this.time = time;
    this.meters = meters;
    this.threshold = (int) Math.min(Integer.MAX_VALUE, plan.share() * Integer.MAX_VALUE);
    this.thread = new Thread(this::run, "warm-shelf-audit-" + shelf);
    thread.setDaemon(true);
    thread.start();
  }

  /** Whether the hit that is being answered should be audited. */
  boolean picksThisHit() {
    return (ThreadLocalRandom.current().nextInt() & Integer.MAX_VALUE) <= threshold;
  }

  /**
   * Has a hit audited, some time.
   *
   * @param holds reads directly and compares; null if that cannot be done
   */
  void audit(Entry entry, @Nullable Callable<Boolean> holds) {
    if (holds == null) {
      return;
    }
    underWay.incrementAndGet();
    if (!tasks.offer(new Task(entry, holds))) {
      underWay.decrementAndGet();
      meters.audited(Finding.SKIPPED);
    }
  }

  /** Whether no hit is being audited, or waits for it. */
  boolean isIdle() {
    return underWay.get() == 0;
  }

  @Override
  public void close() {
    closed = true;
    Upkeep.end(thread);
  }

  private void run() {
    long pause = TimeUnit.SECONDS.toNanos(1) / plan.perSecond();
    try {
      while (!closed) {
        Task task = tasks.take();
        meters.audited(findingOf(task));
        underWay.decrementAndGet();
        TimeUnit.NANOSECONDS.sleep(pause);
      }
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt(); // closed
    }
  }

  private Finding findingOf(Task task) throws InterruptedException {
    try {
      if (task.holds().call()) {
        return Finding.AGREED;
      }
    } catch (InterruptedException e) {
      throw e;
    } catch (Exception e) {
      LOG.debug("an audit of shelf '{}' could not read directly", shelf, e);
      return Finding.UNDECIDED;
    }
    Entry entry = task.entry();
    if (!board.awaitWatermark(time.nanos(), PATIENCE)) {
      return Finding.UNDECIDED;
    }
    if (!entry.isFresh(board)) {
      return Finding.LATE;
    }
    LOG.error(
        "A kept answer is wrong and nothing would have invalidated it: shelf={} key={} footprint={}."
            + " Its footprint lacks a table; is reading(...) declared wrongly, or does a function"
            + " read a table though it says IMMUTABLE?",
        shelf,
        entry.key().digest(),
        entry.footprint());
    return Finding.NEVER;
  }
}
