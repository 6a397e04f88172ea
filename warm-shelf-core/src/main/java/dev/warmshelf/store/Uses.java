package dev.warmshelf.store;

/**
 * How often one key is asked for, over its entries: what was counted before this entry, and since
 * when. Guarded by the room's lock.
 */
final class Uses {
  /** From here on half is forgotten: what was long ago should not count for ever. */
  private static final float MANY = 64;

  /** So many times the usual pause may pass before the key counts as asked for less often. */
  private static final double PATIENCE = 3;

  /** So many times as long as what left had not been used. Found by trial. */
  private static final double DOUBT = 10;

  /** A key is not asked for more often than this, as far as anybody can tell: 10 milliseconds. */
  private static final long SHORTEST_NANOS = 10_000_000;

  private float before;
  private long since;

  Uses(float before, long since) {
    this.before = before;
    this.since = since;
  }

  /** These and one more: who loads an entry has asked for it. */
  Uses andOneMore() {
    return new Uses(before + 1, since);
  }

  float before() {
    return before;
  }

  long since() {
    return since;
  }

  /** These uses with those of an entry that leaves; half of them forgotten if they are many. */
  Uses with(Entry entry, long now) {
    float all = before + entry.uses();
    return all < MANY ? new Uses(all, since) : new Uses(all / 2, since + (now - since) / 2);
  }

  /**
   * How often the key is asked for, per nanosecond. What was asked for only now says little; until
   * more is known it counts as if nobody had asked for a long time before.
   *
   * @param unusedNanos how long entries had not been used that left
   */
  double perNano(Entry entry, long now, long unusedNanos) {
    double counted = before + entry.uses();
    double counting = (double) (now - since) + DOUBT * unusedNanos;
    double usual = counted / Math.max(counting, SHORTEST_NANOS);
    double lately = PATIENCE / Math.max(now - entry.usedAtNanos(), SHORTEST_NANOS);
    return Math.min(usual, lately);
  }
}
