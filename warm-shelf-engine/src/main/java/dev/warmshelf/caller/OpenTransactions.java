package dev.warmshelf.caller;

import dev.warmshelf.meter.BypassReason;
import java.sql.SQLException;
import java.util.Queue;
import java.util.Set;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.ConcurrentLinkedQueue;
import org.jspecify.annotations.Nullable;

/**
 * The connections that each thread holds and that are followed, as far as what they see is, or may
 * be, unlike what others do: a transaction of theirs has written, or their session is an altered
 * one. Who works out something that names no connection is part of them all the same: a kept result
 * might lack what the thread's own transaction has written, and be another one in its session.
 *
 * <p>A connection counts for the thread that has sent its last statement. Thread-safe.
 */
public final class OpenTransactions {
  @SuppressWarnings("ThreadLocalUsage") // of each data source; threads forget it with that
  private final ThreadLocal<@Nullable Set<Standing>> mine = new ThreadLocal<>();

  /** Of one connection; none as long as nothing has been sent on it. */
  public Standing begin() {
    return new Standing();
  }

  /**
   * Why this thread's questions bypass the shelves; null if they need not. May ask the server what
   * the session of a connection is like that may have been altered.
   *
   * @param kind of session that results are kept for
   */
  public @Nullable Bypass around(Sessions.Kind kind) throws SQLException {
    Set<Standing> all = mine.get();
    if (all != null) {
      for (Standing each : all) {
        if (each.visibility != Visibility.LIKE_OTHERS) {
          return Bypass.since(each.visibility);
        }
        FollowedConnection suspect = each.suspect;
        if (suspect != null && !suspect.hasSessionOf(kind)) {
          return Bypass.because(BypassReason.UNEQUAL_SESSIONS);
        }
      }
    }
    return null;
  }

  /**
   * Runs once all of this thread's transactions that have written so far have been committed, at
   * once if there are none; never if the last of them is rolled back.
   */
  public void afterCommit(Runnable action) {
    Set<Standing> all = mine.get();
    Standing last = null;
    if (all != null) {
      for (Standing each : all) {
        last = each.open ? each : last;
      }
    }
    if (last == null) {
      action.run();
    } else {
      last.after.add(() -> afterCommit(action)); // there may be another one
    }
  }

  /** How one connection's transaction stands. Like the connection, for one thread at a time. */
  public final class Standing {
    private volatile Visibility visibility = Visibility.LIKE_OTHERS;
    private volatile boolean open;

    /** Its connection, as long as that may have been altered. */
    private volatile @Nullable FollowedConnection suspect;

    private @Nullable Set<Standing> in;
    private final Queue<Runnable> after = new ConcurrentLinkedQueue<>();

    /**
     * After something was done on the connection.
     *
     * @param isOpen whether a transaction is
     */
    public void is(FollowedConnection connection, boolean isOpen) {
      Visibility seen = connection.state().visibility();
      open = isOpen && seen != Visibility.LIKE_OTHERS;
      visibility = open || seen == Visibility.ALTERED ? seen : Visibility.LIKE_OTHERS;
      suspect = connection.mayBeAltered() ? connection : null;
      boolean counts = visibility != Visibility.LIKE_OTHERS || suspect != null;
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
    public void isOver(boolean hasCommitted) {
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
