package dev.warmshelf.shelf.read;

import dev.warmshelf.fresh.Board;
import dev.warmshelf.key.Key;
import dev.warmshelf.shelf.Renewal;
import dev.warmshelf.store.Entry;
import dev.warmshelf.time.TimeSource;
import java.util.Comparator;
import java.util.PriorityQueue;
import java.util.concurrent.atomic.AtomicLong;
import org.jspecify.annotations.Nullable;

/**
 * Renews the answers of one shelf before anybody asks for them again: of those that are out of date
 * and were asked for since they were last renewed, the ones that save the most time first, as far
 * as the database's time goes that it may use.
 *
 * <p>That is a bucket that fills as time passes, up to what comes in a second, and from which each
 * renewal takes what it took; one that takes more than there is leaves a debt.
 *
 * <p>Used by the upkeep's thread alone, but for what renewals took.
 */
final class Ahead {
  private static final int MOST_AT_ONCE = 64;
  private static final long FULL_NANOS = 1_000_000_000;

  /** A look at all entries is followed by a pause of so many times what it took. */
  private static final int REST = 20;

  private final String shelf;
  private final Renewal renewal;
  private final Board board;
  private final TimeSource time;
  private final Upkeep upkeep;
  private final AtomicLong bucketNanos = new AtomicLong();
  private long filledAt;
  private long settled = -1;
  private long restsUntil;

  /** What is renewed, in words that no other renewal has. */
  private record Renewed(String shelf, Key key) {}

  Ahead(String shelf, Renewal renewal, Ground ground) {
    this.shelf = shelf;
    this.renewal = renewal;
    this.board = ground.board();
    this.time = ground.time();
    this.upkeep = ground.upkeep();
    this.filledAt = time.nanos();
    this.restsUntil = filledAt;
  }

  static Object naming(String shelf, Key key) {
    return new Renewed(shelf, key);
  }

  void round(ShelfContents contents) {
    long began = time.nanos();
    fill(began);
    long standing = board.settled();
    if (standing == settled || began - restsUntil < 0 || bucketNanos.get() <= 0) {
      return;
    }
    PriorityQueue<Chosen> chosen = choose(contents, began);
    boolean all = chosen.size() < MOST_AT_ONCE;
    for (Chosen next : chosen.stream().sorted(Comparator.reverseOrder()).toList()) {
      if (bucketNanos.get() <= 0 || !renew(next.entry())) {
        all = false;
        break;
      }
    }
    settled = all ? standing : -1; // else some are left for the next round
    long ended = time.nanos();
    restsUntil = ended + REST * (ended - began);
  }

  private void fill(long now) {
    long more = (long) ((now - filledAt) * renewal.aheadShare());
    filledAt = now;
    long most = (long) (FULL_NANOS * renewal.aheadShare());
    bucketNanos.updateAndGet(held -> Math.min(most, held + more));
  }

  private boolean renew(Entry entry) {
    Runnable how = entry.renewal().ahead();
    long expected = entry.loadNanos();
    if (how == null) {
      return true;
    }
    Upkeep.Begun begun =
        upkeep.renew(
            naming(shelf, entry.key()),
            () -> {
              long began = time.nanos();
              how.run();
              bucketNanos.addAndGet(expected - (time.nanos() - began));
            });
    if (begun == Upkeep.Begun.NOW) {
      bucketNanos.addAndGet(-expected); // so that not all begin on the same time
    }
    return begun != Upkeep.Begun.NOT;
  }

  private PriorityQueue<Chosen> choose(ShelfContents contents, long now) {
    PriorityQueue<Chosen> best = new PriorityQueue<>();
    contents.forEach(
        entry -> {
          Chosen one = Chosen.of(entry, now);
          if (one != null && !contents.mayServe(entry, now)) {
            best.add(one);
            if (best.size() > MOST_AT_ONCE) {
              best.remove();
            }
          }
        });
    return best;
  }

  /**
   * An entry, and how much time it saves: seconds of loading a second, since it was filled.
   *
   * @param saving none is saved by one that nobody has asked for
   */
  private record Chosen(Entry entry, double saving) implements Comparable<Chosen> {
    static @Nullable Chosen of(Entry entry, long now) {
      if (!entry.mayBeRenewedAhead() || entry.isExpired(now)) {
        return null;
      }
      double perNano = entry.uses() / (double) Math.max(1, now - entry.filledNanos());
      return new Chosen(entry, perNano * entry.loadNanos());
    }

    @Override
    public int compareTo(Chosen other) {
      return Double.compare(saving, other.saving);
    }
  }
}
