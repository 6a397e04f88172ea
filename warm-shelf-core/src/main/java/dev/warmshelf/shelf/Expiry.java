package dev.warmshelf.shelf;

import dev.warmshelf.base.Durations;
import java.time.Duration;
import java.time.Instant;
import java.time.LocalTime;
import java.time.ZoneId;
import java.time.ZonedDateTime;
import java.util.Arrays;
import java.util.List;
import java.util.Objects;
import java.util.Optional;
import org.jspecify.annotations.Nullable;

/** How long an answer may be served, however fresh it is. What ends first ends it. */
public final class Expiry extends Terms {
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

  private final @Nullable Duration sinceFill;
  private final @Nullable Duration sinceUse;
  private final @Nullable End end;
  private final @Nullable Duration ofEmpty;
  private final boolean withProcess;

  private Expiry(
      @Nullable Duration sinceFill,
      @Nullable Duration sinceUse,
      @Nullable End end,
      @Nullable Duration ofEmpty,
      boolean withProcess) {
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
    this.sinceFill = sinceFill;
    this.sinceUse = sinceUse;
    this.end = end;
    this.ofEmpty = ofEmpty;
    this.withProcess = withProcess;
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

  /** The same without a time since the load. */
  public Expiry withoutTtl() {
    return new Expiry(null, sinceUse, end, ofEmpty, withProcess);
  }

  /**
   * The same, with another time since the load.
   *
   * @throws IllegalArgumentException if it is not longer than zero
   */
  public Expiry andAfter(Duration ttl) {
    return new Expiry(ttl, sinceUse, end, ofEmpty, withProcess);
  }

  /**
   * And so long after it was last asked for, to within 10 milliseconds.
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

  /** The same, however long it is not asked for. */
  public Expiry evenIfUnused() {
    return new Expiry(sinceFill, null, end, ofEmpty, withProcess);
  }

  /** The same, with an empty answer as long as any other. */
  public Expiry emptyLikeAny() {
    return new Expiry(sinceFill, sinceUse, end, null, withProcess);
  }

  /** The same, and not with the process. */
  public Expiry beyondProcess() {
    return new Expiry(sinceFill, sinceUse, end, ofEmpty, false);
  }

  /** And with the process, at the latest: no later one is given it. */
  public Expiry andWithProcess() {
    return new Expiry(sinceFill, sinceUse, end, ofEmpty, true);
  }

  /** Whether anything ends an answer for certain, however often it is asked for. */
  public boolean endsAll() {
    return sinceFill != null || end != null;
  }

  /** How long after it was loaded; empty for ever. */
  public Optional<Duration> sinceFill() {
    return Optional.ofNullable(sinceFill);
  }

  /** How long after it was last asked for; empty for ever. */
  public Optional<Duration> sinceUse() {
    return Optional.ofNullable(sinceUse);
  }

  /** The moment at which it ends; empty for none. */
  public Optional<End> end() {
    return Optional.ofNullable(end);
  }

  /**
   * How long after it was loaded if it has no rows; zero for not at all, empty for as long as any
   * other.
   */
  public Optional<Duration> ofEmpty() {
    return Optional.ofNullable(ofEmpty);
  }

  /** Whether it ends with the process, though the program remembers answers. */
  public boolean withProcess() {
    return withProcess;
  }

  @Override
  List<@Nullable Object> terms() {
    return Arrays.asList(sinceFill, sinceUse, end, ofEmpty, withProcess);
  }
}
