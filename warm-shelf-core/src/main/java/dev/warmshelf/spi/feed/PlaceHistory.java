package dev.warmshelf.spi.feed;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.OptionalLong;
import java.util.function.BiPredicate;

/**
 * Which ticks of this process belong to which places of its feed, for the last while: so that it
 * can judge an answer that another process has kept.
 *
 * <p><b>The rule.</b> With an answer stands a place: every change that is in the place is in the
 * answer. Beside each own place stands a tick such that every change that is <em>not</em> in that
 * place bears a later one. Of the own places take the newest that the answer's covers: what the
 * answer may lack is not in it, and bears a later tick than stands beside it. So an answer that is
 * given this tick as its fence is judged by the ordinary rule, and never wrongly found fresh.
 *
 * <p>The tick beside a place is the last one when its changes had been delivered. A change that is
 * not in the place is ticked by a later delivery. It may be ticked before that, too, by the process
 * that made it: since it knows what it has changed ({@link Board#tickAhead}), or since the feed has
 * not told of it in time ({@link Board#tickUntold}). Where that has happened since the look was
 * sent, the tick is the one from before that.
 *
 * <p>Own places only grow: each covers those before it. What is remembered is bounded; the older it
 * is, the fewer places are left of it, which costs answers that are found out of date, and nothing
 * else.
 *
 * <p>Thread-safe.
 */
final class PlaceHistory {
  private final int most;

  /** In their order; replaced by a new one where it changes. */
  private volatile Row[] rows = {};

  /** All changes that are not in the place have later ticks. */
  private record Row(FeedPlace place, long tick) {}

  /** What a receiver was like before a look was sent. */
  record Before(long tick, long untold) {
    /** The tick beside the place that the look has found, once its changes have been delivered. */
    long tick(Receiver receiver) {
      long last = receiver.lastTick(); // first: what is not told is counted before it is ticked
      return receiver.untold() == untold ? last : tick;
    }
  }

  /** To be called before a look is sent. */
  static Before before(Receiver receiver) {
    long untold = receiver.untold();
    return new Before(receiver.lastTick(), untold);
  }

  /**
   * @param most how many places to remember, four or more
   */
  PlaceHistory(int most) {
    this.most = most;
  }

  /**
   * Remembers a place. To be called with each that the feed takes, in their order.
   *
   * @param tick as {@link Before#tick(Receiver)} gives it
   */
  synchronized void add(FeedPlace place, long tick) {
    Row[] before = rows;
    int keep = before.length;
    if (keep > 0 && !before[keep - 1].place().stream().equals(place.stream())) {
      keep = 0;
    } else if (keep > 0 && before[keep - 1].place().equals(place)) {
      keep--; // of one place the last tick is the best
    } else if (keep == most) {
      before = thinned(before);
      keep = before.length;
    }
    Row[] after = Arrays.copyOf(before, keep + 1);
    after[keep] = new Row(place, tick);
    rows = after;
  }

  /** Of the older half every second one goes; the oldest stays. */
  private static Row[] thinned(Row[] all) {
    List<Row> kept = new ArrayList<>(all.length);
    for (int i = 0; i < all.length; i++) {
      if (i % 2 == 0 || i >= all.length / 2) {
        kept.add(all[i]);
      }
    }
    return kept.toArray(new Row[0]);
  }

  /**
   * The tick that fences an answer with this place.
   *
   * @param covers whether what was reached first includes all of what was reached second
   * @return empty if no place is remembered that it covers
   */
  OptionalLong tickAt(FeedPlace place, BiPredicate<String, String> covers) {
    Row[] all = rows;
    if (all.length == 0 || !all[0].place().stream().equals(place.stream())) {
      return OptionalLong.empty();
    }
    int from = 0; // all below are covered
    int to = all.length; // all from here on are not
    int middle = to - 1; // most are new
    while (from < to) {
      if (covers.test(place.reached(), all[middle].place().reached())) {
        from = middle + 1;
      } else {
        to = middle;
      }
      middle = (from + to) >>> 1;
    }
    return from == 0 ? OptionalLong.empty() : OptionalLong.of(all[from - 1].tick());
  }
}
