package dev.warmshelf;

import dev.warmshelf.session.ConnectionState;
import dev.warmshelf.session.Visibility;
import java.util.Queue;
import java.util.Set;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.ConcurrentLinkedQueue;
import org.jspecify.annotations.Nullable;

/**
 * The transactions that each thread has open on connections that are followed, as far as what they
 * see is unlike what others do. Who asks a question that names no connection is part of them all
 * the same: a kept answer might lack what the thread's own transaction has written.
 *
 * <p>A transaction counts for the thread that has sent its last statement. Thread-safe.
 */
final class OpenTransactions {
  @SuppressWarnings("ThreadLocalUsage") // of each data source; threads forget it with that
  private final ThreadLocal<@Nullable Set<Standing>> mine = new ThreadLocal<>();

  /** Of one connection; none as long as nothing has been sent on it. */
  Standing begin() {
    return new Standing();
  }

  /** Why this thread's questions bypass the shelves; null if they need not. */
  @Nullable Bypass around() {
    Set<Standing> all = mine.get();
    if (all != null) {
      for (Standing each : all) {
        return Bypass.since(each.visibility);
      }
    }
    return null;
  }

  /**
   * Runs once all of this thread's transactions that have written so far have been committed, at
   * once if there are none; never if the last of them is rolled back.
   */
  void afterCommit(Runnable action) {
    Set<Standing> all = mine.get();
    Standing last = null;
    if (all != null) {
      for (Standing each : all) {
        last = each;
      }
    }
    if (last == null) {
      action.run();
    } else {
      last.after.add(() -> afterCommit(action)); // there may be another one
    }
  }

  /** How one connection's transaction stands. Like the connection, for one thread at a time. */
  final class Standing {
    private volatile Visibility visibility = Visibility.LIKE_OTHERS;
    private @Nullable Set<Standing> in;
    private final Queue<Runnable> after = new ConcurrentLinkedQueue<>();

    /** Whether it counts for a thread just now. */
    boolean isOn() {
      return in != null;
    }

    /**
     * After something was done on the connection.
     *
     * @param open whether a transaction is
     */
    void is(ConnectionState state, boolean open) {
      visibility = state.visibility();
      boolean counts = open && visibility != Visibility.LIKE_OTHERS;
      Set<Standing> threads = counts ? ofThisThread() : null;
      Set<Standing> before = in;
      if (before != threads && before != null) {
        before.remove(this);
      }
      if (threads != null) {
        threads.add(this);
      }
      in = threads;
    }

    /** The transaction is over, and counts no more. */
    void isOver(boolean hasCommitted) {
      Set<Standing> before = in;
      in = null;
      if (before != null) {
        before.remove(this);
      }
      for (Runnable action = after.poll(); action != null; action = after.poll()) {
        if (hasCommitted) {
          action.run();
        }
      }
    }

    private Set<Standing> ofThisThread() {
      Set<Standing> all = mine.get();
      if (all == null) {
        all = ConcurrentHashMap.newKeySet();
        mine.set(all);
      }
      return all;
    }
  }
}
