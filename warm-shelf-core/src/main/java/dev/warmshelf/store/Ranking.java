package dev.warmshelf.store;

import dev.warmshelf.shelf.Leaving;
import dev.warmshelf.store.Room.Slot;
import java.util.concurrent.ThreadLocalRandom;

/** In which order entries leave, by what a policy says. */
final class Ranking {
  /** What a load takes at least, whatever the clock says: a round trip. */
  private static final double LEAST_COST_NANOS = 10_000;

  private Ranking() {}

  /**
   * The lower, the sooner it leaves.
   *
   * @param unusedNanos how long entries had not been used that left
   */
  static double worth(Leaving leaving, Slot slot, long now, long unusedNanos) {
    Entry entry = slot.entry;
    return switch (leaving) {
      case LEAST_TIME_SAVED ->
          slot.uses.perNano(entry, now, unusedNanos)
              * Math.max((double) entry.loadNanos(), LEAST_COST_NANOS)
              / slot.bytes;
      case LONGEST_UNUSED -> -(double) (now - entry.usedAtNanos());
      case LEAST_OFTEN_USED -> slot.uses.perNano(entry, now, unusedNanos);
      case ANY -> ThreadLocalRandom.current().nextDouble();
      case NEXT_TO_EXPIRE, ONLY_EXPIRING -> entry.remainingNanos(now);
      case CHEAPEST_TO_LOAD -> entry.loadNanos();
    };
  }

  /** Whether what is new is not kept where it is worth less than what would leave for it. */
  static boolean weighsWhatIsNew(Leaving leaving) {
    return leaving == Leaving.LEAST_TIME_SAVED;
  }

  /** Whether an entry leaves for want of room at all. */
  static boolean mayLeave(Leaving leaving, Entry entry) {
    return leaving != Leaving.ONLY_EXPIRING || entry.expires();
  }
}
