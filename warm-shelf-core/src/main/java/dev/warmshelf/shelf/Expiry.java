package dev.warmshelf.shelf;

import dev.warmshelf.base.Durations;
import dev.warmshelf.fresh.TimeSource;
import dev.warmshelf.store.Fill.Life;
import java.time.Duration;
import java.time.Instant;
import java.time.LocalTime;
import java.time.ZoneId;
import java.time.ZonedDateTime;
import java.util.Objects;
import org.jspecify.annotations.Nullable;

/**
 * How long an answer may be served, however fresh it is. What ends first ends it.
 *
 * @param sinceFill how long after it was loaded; null for ever
 * @param sinceUse how long after it was last asked for; null for ever
 * @param end the moment at which it ends; null for none
 * @param ofEmpty how long after it was loaded if it has no rows; zero for not at all, null for as
 *     long as any other
 * @param withProcess whether it ends with the process, though the program remembers answers
 */
public record Expiry(
    @Nullable Duration sinceFill,
    @Nullable Duration sinceUse,
    @Nullable End end,
    @Nullable Duration ofEmpty,
    boolean withProcess) {
  private static final Expiry NEVER = new Expiry(null, null, null, null, false);

  /** A moment of the wall clock, by when an answer was loaded. Thread-safe. */
  @FunctionalInterface
  public interface End {
    /** When it ends; one that has ended by then is not kept. */
    Instant after(Instant filled);

    /** At one moment, whenever it was loaded: what is loaded later is not kept. */
    static End at(Instant moment) {
      Objects.requireNonNull(moment, "moment");
      return filled -> moment;
    }

    /** Every day at a time of day, as the clocks go in a zone. */
    static End daily(LocalTime time, ZoneId zone) {
      Objects.requireNonNull(time, "time");
      Objects.requireNonNull(zone, "zone");
      return filled -> {
        ZonedDateTime day = filled.atZone(zone);
        Instant today = day.with(time).toInstant();
        return today.isAfter(filled) ? today : day.plusDays(1).with(time).toInstant();
      };
    }
  }

  /**
   * Durations longer than zero; for empty answers also zero.
   *
   * @throws IllegalArgumentException if one is not
   */
  public Expiry {
    if (sinceFill != null) {
      Durations.requirePositive("TTL", sinceFill);
    }
    if (sinceUse != null) {
      Durations.requirePositive("time since the last use", sinceUse);
    }
    if (ofEmpty != null && ofEmpty.isNegative()) {
      throw new IllegalArgumentException(
          "An empty answer's life cannot be negative, but is " + ofEmpty + ".");
    }
  }

  /** Answers are served as long as they are fresh, however old. */
  public static Expiry never() {
    return NEVER;
  }

  /**
   * So long after an answer was loaded.
   *
   * @throws IllegalArgumentException if it is not longer than zero
   */
  public static Expiry after(Duration ttl) {
    return NEVER.andAfter(Objects.requireNonNull(ttl, "ttl"));
  }

  /** The same, with another time since the load, or null for none. */
  public Expiry andAfter(@Nullable Duration ttl) {
    return new Expiry(ttl, sinceUse, end, ofEmpty, withProcess);
  }

  /**
   * And so long after it was last asked for, to within {@link dev.warmshelf.fresh.SystemTime#STEP}.
   *
   * @throws IllegalArgumentException if it is not longer than zero
   */
  public Expiry andUnusedFor(Duration pause) {
    return new Expiry(sinceFill, Objects.requireNonNull(pause, "pause"), end, ofEmpty, withProcess);
  }

  /**
   * And at a moment. It is put on the monotonic clock when the answer is loaded: a jump of the wall
   * clock after that does not move it.
   */
  public Expiry andAt(End moment) {
    return new Expiry(
        sinceFill, sinceUse, Objects.requireNonNull(moment, "moment"), ofEmpty, withProcess);
  }

  /**
   * And so long after it was loaded if it has no rows.
   *
   * @param ttl zero for not at all
   * @throws IllegalArgumentException if it is negative
   */
  public Expiry andEmptyAfter(Duration ttl) {
    return new Expiry(sinceFill, sinceUse, end, Objects.requireNonNull(ttl, "ttl"), withProcess);
  }

  /** And with the process, at the latest: no later one is given it. */
  public Expiry andWithProcess() {
    return new Expiry(sinceFill, sinceUse, end, ofEmpty, true);
  }

  /** Whether anything ends an answer for certain, however often it is asked for. */
  public boolean endsAll() {
    return sinceFill != null || end != null;
  }

  /** How long an answer that is loaded now may be served. */
  Life life(boolean isEmpty, TimeSource time) {
    long sinceFill = nanos(isEmpty && ofEmpty != null ? ofEmpty : this.sinceFill);
    if (end != null) {
      Instant now = time.wall();
      sinceFill = Math.min(sinceFill, nanos(Duration.between(now, end.after(now))));
    }
    return new Life(sinceFill, nanos(sinceUse));
  }

  /** The life of an answer that is kept already, if this ends it sooner. */
  Life shorter(Life life, boolean isEmpty) {
    Duration ttl = isEmpty && ofEmpty != null ? ofEmpty : sinceFill;
    return new Life(
        Math.min(life.sinceFill(), nanos(ttl)), Math.min(life.sinceUse(), nanos(sinceUse)));
  }

  private static long nanos(@Nullable Duration duration) {
    if (duration == null) {
      return Long.MAX_VALUE;
    }
    return duration.isNegative() ? 0 : Durations.saturatedNanos(duration);
  }
}
