package dev.warmshelf.fresh;

import java.util.ArrayList;
import java.util.List;

/**
 * When this process has cleared something, for answers that come from elsewhere: what was loaded
 * before a clearing must be judged by a tick from before it, wherever it has been meanwhile.
 *
 * <p>What is remembered is bounded. Of two clearings that become one the later moment and the lower
 * tick are kept, so that an answer may be found out of date that is not, and never the reverse.
 *
 * <p>Thread-safe.
 */
final class ClearedMoments {
  private static final int MOST = 256;

  private final List<Moment> moments = new ArrayList<>();

  private record Moment(long nanos, long tickBefore) {}

  /** To be called before the clearing is ticked. */
  synchronized void add(long nanos, long tickBefore) {
    moments.add(new Moment(nanos, tickBefore));
    if (moments.size() > MOST) {
      List<Moment> fewer = new ArrayList<>(MOST);
      for (int i = 0; i + 1 < moments.size(); i += 2) {
        Moment one = moments.get(i);
        Moment other = moments.get(i + 1);
        long latest = one.nanos() - other.nanos() > 0 ? one.nanos() : other.nanos();
        fewer.add(new Moment(latest, Math.min(one.tickBefore(), other.tickBefore())));
      }
      if (moments.size() % 2 != 0) {
        fewer.add(moments.get(moments.size() - 1));
      }
      moments.clear();
      moments.addAll(fewer);
    }
  }

  /** A tick, or a lower one if something has been cleared since a moment. */
  synchronized long lower(long tick, long sinceNanos) {
    long lowest = tick;
    for (int i = moments.size() - 1; i >= 0; i--) {
      Moment moment = moments.get(i);
      if (moment.nanos() - sinceNanos >= 0) {
        lowest = Math.min(lowest, moment.tickBefore());
      }
    }
    return lowest;
  }
}
