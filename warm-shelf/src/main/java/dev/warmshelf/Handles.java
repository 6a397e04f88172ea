package dev.warmshelf;

import dev.warmshelf.base.Durations;
import dev.warmshelf.shelf.Reading;
import dev.warmshelf.time.TimeSource;
import java.security.SecureRandom;
import java.time.Duration;
import java.util.Base64;
import java.util.Iterator;
import java.util.LinkedHashMap;
import java.util.Map;
import java.util.Objects;
import org.jspecify.annotations.Nullable;

/**
 * Readings to be had again, exactly as they were, by whoever has been given their handle: a page's
 * table and the export of it, asked for in another request, then have the same rows in the same
 * order, whatever has changed meanwhile, and {@link Reading#holdsStill} says whether something has.
 *
 * <p>A handle is a text that nobody can guess: 128 random bits, in the characters of URLs. It is
 * good for a time, in this process; the oldest ones go sooner when there is no room for all.
 *
 * <p>Thread-safe.
 *
 * @param <V> the readings' values
 */
public final class Handles<V extends @Nullable Object> {
  private static final int RANDOM_BYTES = 16;

  private final TimeSource time;
  private final long lifeNanos;
  private final long mostBytes;
  private final SecureRandom random = new SecureRandom();

  /** The oldest first; guarded by this map. */
  private final Map<String, Held<V>> all = new LinkedHashMap<>();

  private long bytes;

  private record Held<V extends @Nullable Object>(
      Reading<V> reading, long givenNanos, long bytes) {}

  /** What a handle leads to. */
  public sealed interface Found<V extends @Nullable Object> {
    /**
     * The reading, as it was given.
     *
     * @param reading whose {@link Reading#holdsStill} says whether something has changed since
     */
    record Again<V extends @Nullable Object>(Reading<V> reading) implements Found<V> {}

    /** Nothing: its time is over, or it went for want of room, or never was given here. */
    record Gone<V extends @Nullable Object>() implements Found<V> {}
  }

  /**
   * @param life how long a handle is good
   * @param mostBytes how much all of them may hold, about
   * @throws IllegalArgumentException if one of them is not more than nothing
   */
  Handles(TimeSource time, Duration life, long mostBytes) {
    if (life.isNegative() || life.isZero() || mostBytes < 1) {
      throw new IllegalArgumentException(
          "Handles are good for some time and hold some bytes, but were to for "
              + life
              + " and "
              + mostBytes
              + ".");
    }
    this.time = time;
    this.lifeNanos = Durations.saturatedNanos(life);
    this.mostBytes = mostBytes;
  }

  /**
   * Gives a handle for a reading.
   *
   * @throws IllegalArgumentException if the reading is larger than all handles may be together
   */
  public String give(Reading<V> reading) {
    Objects.requireNonNull(reading, "reading");
    long size = reading.bytes();
    if (size > mostBytes) {
      throw new IllegalArgumentException(
          "The answer takes about " + size + " bytes, and handles hold " + mostBytes + " at most.");
    }
    byte[] drawn = new byte[RANDOM_BYTES];
    random.nextBytes(drawn);
    String handle = Base64.getUrlEncoder().withoutPadding().encodeToString(drawn);
    synchronized (all) {
      all.put(handle, new Held<>(reading, time.nanos(), size));
      bytes += size;
      leave();
    }
    return handle;
  }

  /** What a handle leads to. */
  public Found<V> find(String handle) {
    synchronized (all) {
      leave();
      Held<V> held = all.get(handle);
      return held == null ? new Found.Gone<>() : new Found.Again<>(held.reading());
    }
  }

  /** How many are good just now. */
  public int size() {
    synchronized (all) {
      leave();
      return all.size();
    }
  }

  /** Those whose time is over, and the oldest as long as there are too many. */
  private void leave() {
    long now = time.nanos();
    Iterator<Held<V>> oldest = all.values().iterator();
    while (oldest.hasNext()) {
      Held<V> next = oldest.next();
      if (bytes <= mostBytes && now - next.givenNanos() < lifeNanos) {
        return;
      }
      bytes -= next.bytes();
      oldest.remove();
    }
  }
}
