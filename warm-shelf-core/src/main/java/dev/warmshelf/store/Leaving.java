package dev.warmshelf.store;

import dev.warmshelf.store.Room.Slot;
import java.util.concurrent.ThreadLocalRandom;

/** Which entries leave first when room is short. */
public enum Leaving {
  /**
   * Those whose room saves the least time, be they new or not: what their load took, times how
   * often they are asked for, for each byte. The default. How often is the number of uses over the
   * time in which they were counted (Blankstein, Sen and Freedman, "Hyperbolic Caching", 2017), but
   * not more than the time since the last one lets one expect; it is remembered for a while of what
   * has left.
   */
  LEAST_TIME_SAVED {
    @Override
    double worth(Slot slot, long now, long unusedNanos) {
      double cost = Math.max((double) slot.entry.loadNanos(), LEAST_COST_NANOS);
      return slot.uses.perNano(slot.entry, now, unusedNanos) * cost / slot.bytes;
    }

    @Override
    boolean weighsWhatIsNew() {
      return true;
    }
  },

  /** Those that were not used for longest. */
  LONGEST_UNUSED {
    @Override
    double worth(Slot slot, long now, long unusedNanos) {
      return -(double) (now - slot.entry.usedAtNanos());
    }
  },

  /** Those that are used least often. */
  LEAST_OFTEN_USED {
    @Override
    double worth(Slot slot, long now, long unusedNanos) {
      return slot.uses.perNano(slot.entry, now, unusedNanos);
    }
  },

  /** Any. */
  ANY {
    @Override
    double worth(Slot slot, long now, long unusedNanos) {
      return ThreadLocalRandom.current().nextDouble();
    }
  },

  /** Those that would expire next; those that never do, after all others. */
  NEXT_TO_EXPIRE {
    @Override
    double worth(Slot slot, long now, long unusedNanos) {
      return slot.entry.remainingNanos(now);
    }
  },

  /**
   * Of those that expire at all, those that would next. Where there is none, what is new is not
   * kept.
   */
  ONLY_EXPIRING {
    @Override
    double worth(Slot slot, long now, long unusedNanos) {
      return slot.entry.remainingNanos(now);
    }

    @Override
    boolean mayLeave(Entry entry) {
      return entry.expires();
    }
  },

  /** Those that are loaded again soonest: the dearest stay. */
  CHEAPEST_TO_LOAD {
    @Override
    double worth(Slot slot, long now, long unusedNanos) {
      return slot.entry.loadNanos();
    }
  };

  /** What a load takes at least, whatever the clock says: a round trip. */
  private static final double LEAST_COST_NANOS = 10_000;

  /**
   * The lower, the sooner it leaves.
   *
   * @param unusedNanos how long entries had not been used that left
   */
  abstract double worth(Slot slot, long now, long unusedNanos);

  /** Whether what is new is not kept where it is worth less than what would leave for it. */
  boolean weighsWhatIsNew() {
    return false;
  }

  /** Whether an entry leaves for want of room at all. */
  boolean mayLeave(Entry entry) {
    return true;
  }
}
