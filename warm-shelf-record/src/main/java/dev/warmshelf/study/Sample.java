package dev.warmshelf.study;

import java.util.Collection;
import java.util.HashMap;
import java.util.Map;
import java.util.function.LongFunction;
import java.util.function.LongPredicate;
import org.jspecify.annotations.Nullable;

/**
 * What is known of each of some things that are met again and again, such as keys: of all, as long
 * as there is room, then of those whose digest is below a bound that falls as more are met. So
 * whatever is looked at is looked at whole, and which ones does not depend on how often they are
 * met (Waldspurger, Park, Garthwaite and Ahmad, "Efficient MRC Construction with SHARDS", 2015).
 *
 * <p>For one thread.
 *
 * @param <S> what is known of one
 */
final class Sample<S> {
  private final int most;
  private final Map<Long, S> known = new HashMap<>();

  /** Digests are looked at whose upper 62 bits are below this. */
  private long bound = 1L << 62;

  Sample(int most) {
    this.most = most;
  }

  /**
   * What is known of it, made where it is met for the first time; null if it is not looked at.
   *
   * @param digest spread evenly over all numbers
   */
  @Nullable S of(long digest, LongFunction<S> made) {
    if (!isIn(digest)) {
      return null;
    }
    S found = known.get(digest);
    if (found == null) {
      found = made.apply(digest);
      known.put(digest, found);
      while (known.size() > most) {
        bound /= 2;
        known.keySet().removeIf(each -> !isIn(each));
      }
      if (!isIn(digest)) {
        return null;
      }
    }
    return found;
  }

  boolean isIn(long digest) {
    return isBelow(digest, bound);
  }

  /** Whether a digest is looked at as it stands now; goes for any thread, and stays as it is. */
  LongPredicate isIn() {
    long now = bound;
    return digest -> isBelow(digest, now);
  }

  private static boolean isBelow(long digest, long bound) {
    return digest >>> 2 < bound;
  }

  /** Which part of all is looked at, from 0, exclusive, to 1. */
  double rate() {
    return bound / (double) (1L << 62);
  }

  Collection<S> all() {
    return known.values();
  }

  /** Spreads a number, by the finisher of MurmurHash3 (Austin Appleby, public domain). */
  static long spread(long number) {
    long h = number;
    h ^= h >>> 33;
    h *= 0xff51afd7ed558ccdL;
    h ^= h >>> 33;
    h *= 0xc4ceb9fe1a85ec53L;
    return h ^ (h >>> 33);
  }
}
