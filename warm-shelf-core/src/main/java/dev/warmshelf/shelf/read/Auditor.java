package dev.warmshelf.shelf.read;

import dev.warmshelf.fresh.Board;
import dev.warmshelf.key.KeyShape;
import dev.warmshelf.meter.Finding;
import dev.warmshelf.meter.Meters;
import dev.warmshelf.shelf.Audit;
import dev.warmshelf.shelf.Origin;
import dev.warmshelf.store.Entry;
import dev.warmshelf.time.TimeSource;
import java.time.Duration;
import java.util.concurrent.ArrayBlockingQueue;
import java.util.concurrent.BlockingQueue;
import java.util.concurrent.ThreadLocalRandom;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.atomic.AtomicInteger;
import java.util.concurrent.atomic.AtomicLong;
import java.util.concurrent.atomic.AtomicReference;
import java.util.function.Consumer;
import org.jspecify.annotations.Nullable;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;

/**
 * Reads a sample of one shelf's hits again directly, and compares; no more often, and for no more
 * of the database's time, than the policy allows. Where that bounds the time, the upkeep does it,
 * and of the hits between two audits one is chosen: a mended answer before a revived one, and that
 * before one that was served as it was loaded. Else a thread of its own does it.
 *
 * <p>An answer that differs is judged once the feed has delivered everything that had been
 * committed by then: if it has been invalidated it was late; if it holds still, nothing would ever
 * have invalidated it. If the same question can be answered rightly in several ways, such as by the
 * first ten of rows that are tied, nothing is found.
 *
 * <p>Thread-safe. A hit that is not chosen costs one read of a field.
 */
final class Auditor implements AutoCloseable {
  private static final Logger LOG = LoggerFactory.getLogger(Auditor.class);
  private static final int WAITING_AT_MOST = 16;
  private static final Duration PATIENCE = Duration.ofSeconds(5);

  /** What a long calm may have saved up is no reason for a storm. */
  private static final long MOST_SAVED_NANOS = TimeUnit.SECONDS.toNanos(10);

  private final String shelf;
  private final Audit plan;
  private final Board board;
  private final TimeSource time;
  private final Meters meters;
  private final Consumer<KeyShape> accused;
  private final int threshold;
  private final boolean bounded;
  private final AtomicReference<@Nullable Chosen> chosen = new AtomicReference<>();
  private final BlockingQueue<Chosen> tasks = new ArrayBlockingQueue<>(WAITING_AT_MOST);
  private final @Nullable Thread thread;
  private final AtomicInteger underWay = new AtomicInteger();
  private final AtomicLong savedNanos = new AtomicLong();
  private volatile long auditedAtNanos;
  private volatile boolean closed;

  /** Reads a hit again and compares. */
  interface Check {
    /** Whether it can be read again without taking a connection that others wait for. */
    boolean mayAsk();

    /**
     * Reads directly.
     *
     * @return how the answer differs from what was read, in words; null if it does not
     * @throws Exception if that could not be done, or says nothing of the answer
     */
    @Nullable String difference() throws Exception;

    /** Whether the answer would be served now, after all that has changed by then. */
    boolean wouldBeServed();

    /** Whether only the data decide what the answer is. */
    boolean isDecided();
  }

  /** A hit to be audited. */
  private record Chosen(Entry entry, Origin origin, Check check) {}

  /**
   * @param accused is told of each form of which an answer was wrong
   */
  Auditor(
      String shelf,
      Audit plan,
      Board board,
      TimeSource time,
      Meters meters,
      Consumer<KeyShape> accused) {
    this.shelf = shelf;
    this.plan = plan;
    this.board = board;
    this.time = time;
    this.meters = meters;
    this.accused = accused;
    this.threshold = (int) Math.min(Integer.MAX_VALUE, plan.share() * Integer.MAX_VALUE);
    this.auditedAtNanos = time.nanos();
    this.bounded = plan.budget() != Double.POSITIVE_INFINITY;
    this.thread = bounded ? null : new Thread(this::run, "warm-shelf-audit-" + shelf);
    if (thread != null) {
      thread.setDaemon(true);
      thread.start();
    }
  }

  /**
   * Whether the hit that is being answered should be audited, rather than the one chosen so far.
   */
  boolean picks(Origin origin) {
    Chosen before = chosen.get();
    if (before != null && rank(before.origin()) >= rank(origin)) {
      return false;
    }
    return bounded || (ThreadLocalRandom.current().nextInt() & Integer.MAX_VALUE) <= threshold;
  }

  private static int rank(Origin origin) {
    return switch (origin) {
      case MENDED -> 2;
      case REVIVED -> 1;
      default -> 0;
    };
  }

  /** Has a hit audited, some time, in place of what was chosen before. */
  void choose(Entry entry, Origin origin, Check check) {
    Chosen hit = new Chosen(entry, origin, check);
    if (bounded) {
      chosen.set(hit);
      return;
    }
    underWay.incrementAndGet();
    if (!tasks.offer(hit)) {
      underWay.decrementAndGet();
      meters.audited(Finding.SKIPPED);
    }
  }

  private void run() {
    long pause = TimeUnit.SECONDS.toNanos(1) / plan.perSecond();
    try {
      while (!closed) {
        audited(tasks.take());
        TimeUnit.NANOSECONDS.sleep(pause);
      }
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt(); // closed
    }
  }

  @Override
  public void close() {
    closed = true;
    if (thread != null) {
      Upkeep.end(thread);
    }
  }

  /** The database has spent some time on a load. */
  void hasLoaded(long nanos) {
    if (bounded && savedNanos.get() < MOST_SAVED_NANOS) {
      savedNanos.addAndGet(Math.min((long) (nanos * plan.budget()), MOST_SAVED_NANOS));
    }
  }

  /** Whether no hit is being audited, or waits for a thread. */
  boolean isIdle() {
    return underWay.get() == 0;
  }

  /**
   * Begins an audit, if there is something to audit, and time and budget allow it. By the upkeep's
   * thread alone.
   */
  void round(Upkeep upkeep) {
    boolean due = time.nanos() - auditedAtNanos >= TimeUnit.SECONDS.toNanos(1) / plan.perSecond();
    Chosen next = bounded && due ? chosen.getAndSet(null) : null;
    if (next == null) {
      return;
    }
    auditedAtNanos = time.nanos();
    if (next.entry().loadNanos() <= savedNanos.get()) {
      underWay.incrementAndGet();
      if (upkeep.renew(this, () -> audited(next)) != Upkeep.Begun.NOW) {
        underWay.decrementAndGet();
        meters.audited(Finding.SKIPPED);
      }
    }
  }

  private void audited(Chosen next) {
    try {
      meters.audited(findingOf(next));
    } finally {
      underWay.decrementAndGet();
    }
  }

  private Finding findingOf(Chosen hit) {
    Check check = hit.check();
    if (!check.mayAsk()) {
      return Finding.SKIPPED;
    }
    long began = time.nanos();
    String difference;
    try {
      difference = check.difference();
    } catch (Exception e) {
      LOG.debug("an audit of shelf '{}' could not read directly", shelf, e);
      return Finding.UNDECIDED;
    } finally {
      if (bounded) {
        savedNanos.addAndGet(began - time.nanos());
      }
    }
    if (difference == null) {
      return Finding.AGREED;
    } else if (!board.awaitWatermark(time.nanos(), PATIENCE)) {
      return Finding.UNDECIDED;
    } else if (!check.wouldBeServed()) {
      return Finding.LATE;
    } else if (!check.isDecided()) {
      return Finding.UNDECIDED;
    }
    accuse(hit, difference);
    return Finding.NEVER;
  }

  private void accuse(Chosen hit, String difference) {
    Entry entry = hit.entry();
    accused.accept(entry.key().form());
    LOG.error(
        "A kept answer is wrong, and nothing would have invalidated it: shelf={} key={} form={}"
            + " origin={} footprint={} difference={}. Answers of this form are not kept any more"
            + " until it is cleared. Is reading(...) declared wrongly, or does a function read a"
            + " table though it says IMMUTABLE? If not, please report it.",
        shelf,
        entry.key().digest(),
        entry.key().form().formDigest(),
        hit.origin(),
        entry.footprint(),
        difference);
  }
}
