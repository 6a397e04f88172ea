package dev.warmshelf.shelf.read;

import java.time.Duration;
import java.util.List;
import java.util.Set;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.CopyOnWriteArrayList;
import java.util.concurrent.Executor;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.LinkedBlockingQueue;
import java.util.concurrent.RejectedExecutionException;
import java.util.concurrent.ThreadPoolExecutor;
import java.util.concurrent.TimeUnit;
import org.jspecify.annotations.Nullable;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;

/**
 * What shelves do in the background: renew answers on a few threads, and have those leave that are
 * of no use any more.
 *
 * <p>Thread-safe. Its threads are daemons; {@link #close()} ends them.
 */
public final class Upkeep implements AutoCloseable {
  private static final Logger LOG = LoggerFactory.getLogger(Upkeep.class);
  private static final int WAITING_AT_MOST = 256;
  private static final Duration AHEAD_PAUSE = Duration.ofMillis(10);
  private static final Duration PAUSE = Duration.ofSeconds(1);
  private static final Duration CLOSING = Duration.ofSeconds(5);
  private static final Upkeep NONE =
      new Upkeep(
          task -> {
            throw new RejectedExecutionException("nothing is done in the background here");
          });

  private final Executor workers;
  private final List<Kept> shelves = new CopyOnWriteArrayList<>();
  private final Set<Object> underWay = ConcurrentHashMap.newKeySet();
  private @Nullable Thread rounds;
  private volatile boolean closed;

  /** A shelf that is looked after. */
  interface Kept {
    /** By which the program calls it. */
    String name();

    /** Whether no hit of it is being audited, or waits for it. */
    boolean isIdle();

    /** Whether there is something to do all the time. */
    boolean renewsAhead();

    /** Does what is to be done from time to time, whoever asks or not. */
    void keepUp();
  }

  /** Whether something is being renewed, or waits for a thread. */
  enum Begun {
    /** By this call. */
    NOW,
    /** By an earlier one. */
    BEFORE,
    /** It is not: there are no threads, or too much waits for them. */
    NOT
  }

  private Upkeep(Executor workers) {
    this.workers = workers;
  }

  /** None: nothing is renewed in the background, and nothing leaves by itself. */
  public static Upkeep none() {
    return NONE;
  }

  /**
   * By threads of its own: one that looks what there is to do, and others that do it.
   *
   * @param threads how many answers may be renewed at a time, at least 1
   */
  public static Upkeep start(int threads) {
    ThreadPoolExecutor pool =
        new ThreadPoolExecutor(
            threads,
            threads,
            PAUSE.toSeconds(),
            TimeUnit.SECONDS,
            new LinkedBlockingQueue<>(WAITING_AT_MOST),
            task -> daemon(task, "warm-shelf-renewal"));
    pool.allowCoreThreadTimeOut(true);
    Upkeep upkeep = new Upkeep(pool);
    Thread thread = daemon(upkeep::run, "warm-shelf-upkeep");
    upkeep.rounds = thread;
    thread.start();
    return upkeep;
  }

  /** By an executor of the caller's, who calls {@link #round} too. */
  public static Upkeep by(Executor executor) {
    return new Upkeep(executor);
  }

  private static Thread daemon(Runnable task, String name) {
    Thread thread = new Thread(task, name);
    thread.setDaemon(true);
    return thread;
  }

  void add(Kept shelf) {
    if (this != NONE) {
      shelves.add(shelf);
    }
  }

  void remove(Kept shelf) {
    shelves.remove(shelf);
  }

  /**
   * Has something renewed.
   *
   * @param what names it; while it is under way, or waits for a thread, it is not begun again
   */
  Begun renew(Object what, Runnable renewal) {
    if (!underWay.add(what)) {
      return Begun.BEFORE;
    }
    try {
      workers.execute(
          () -> {
            try {
              renewal.run();
            } finally {
              underWay.remove(what);
            }
          });
      return Begun.NOW;
    } catch (RejectedExecutionException e) {
      underWay.remove(what);
      return Begun.NOT;
    }
  }

  /** Whether nothing is being renewed or audited, and nothing waits for it. */
  public boolean isIdle() {
    return underWay.isEmpty() && shelves.stream().allMatch(Kept::isIdle);
  }

  /** Looks once what there is to do on each shelf. */
  public void round() {
    for (Kept shelf : shelves) {
      try {
        shelf.keepUp();
      } catch (RuntimeException e) {
        LOG.error("The upkeep of shelf '{}' failed; the next round tries again.", shelf.name(), e);
      }
    }
  }

  private void run() {
    try {
      while (!closed) {
        round();
        boolean soon = shelves.stream().anyMatch(Kept::renewsAhead);
        TimeUnit.NANOSECONDS.sleep((soon ? AHEAD_PAUSE : PAUSE).toNanos());
      }
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt(); // closed
    }
  }

  @Override
  public void close() {
    closed = true;
    if (workers instanceof ExecutorService pool) {
      end(pool);
    }
    Thread thread = rounds;
    if (thread != null) {
      end(thread);
    }
  }

  /**
   * Interrupts what a pool's threads do, and waits for them to end, for some seconds at most: until
   * then they may hold what their owner is about to close, such as a connection.
   */
  public static void end(ExecutorService pool) {
    pool.shutdownNow();
    try {
      if (!pool.awaitTermination(CLOSING.toNanos(), TimeUnit.NANOSECONDS)) {
        LOG.warn("What was under way in the background goes on after {} s", CLOSING.toSeconds());
      }
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
    }
  }

  /** The same for one thread. */
  static void end(Thread thread) {
    thread.interrupt();
    try {
      thread.join(CLOSING.toMillis());
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
    }
  }
}
