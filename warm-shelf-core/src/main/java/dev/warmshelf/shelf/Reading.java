package dev.warmshelf.shelf;

import dev.warmshelf.fresh.Watermark;
import dev.warmshelf.lane.Footprint;
import dev.warmshelf.store.Content;
import dev.warmshelf.store.Entry;
import dev.warmshelf.store.Fill.LoadedBy;
import java.time.Duration;
import java.time.Instant;
import java.util.Objects;
import java.util.Optional;
import org.jspecify.annotations.Nullable;

/**
 * An answer, with where it came from, how old it is, and a bound on its staleness.
 *
 * <p>Immutable; the value is too, as far as the library made it.
 *
 * @param <V> the type of the answer, which may be nullable
 */
public final class Reading<V extends @Nullable Object> {
  private final V value;
  private final Origin origin;
  private final long ageNanos;
  private final @Nullable Watermark watermark;
  private final @Nullable String bypass;
  private final Ground ground;
  private final @Nullable Entry entry;
  private final boolean needless;
  private final @Nullable String alone;

  private Reading(
      V value,
      Origin origin,
      long ageNanos,
      @Nullable Watermark watermark,
      @Nullable String bypass,
      @Nullable Entry entry,
      boolean needless,
      @Nullable String alone,
      Ground ground) {
    this.value = value;
    this.origin = origin;
    this.ageNanos = ageNanos;
    this.watermark = watermark;
    this.bypass = bypass;
    this.entry = entry;
    this.needless = needless;
    this.alone = alone;
    this.ground = ground;
  }

  /**
   * @param watermark up to when the feed had delivered, read before the lanes were looked at; null
   *     if that does not matter
   */
  static <V extends @Nullable Object> Reading<V> of(
      V value,
      Origin origin,
      long ageNanos,
      @Nullable Watermark watermark,
      Entry entry,
      Ground ground) {
    return new Reading<>(value, origin, ageNanos, watermark, null, entry, false, null, ground);
  }

  /**
   * @param began the moment before the read was sent
   */
  static <V extends @Nullable Object> Reading<V> direct(
      V value, Watermark began, String reason, Ground ground) {
    return new Reading<>(value, Origin.DIRECT, 0, began, reason, null, false, null, ground);
  }

  /** The answer. */
  public V value() {
    return value;
  }

  /** Where it came from. */
  public Origin origin() {
    return origin;
  }

  /**
   * How long before this read the answer had been kept; zero unless it was {@link Origin#KEPT}. To
   * within {@link dev.warmshelf.fresh.SystemTime#STEP}.
   */
  public Duration age() {
    return Duration.ofNanos(ageNanos);
  }

  /** How long the answer took to load, whoever loaded it; zero for one that bypassed the shelf. */
  public Duration loadTime() {
    return Duration.ofNanos(loadNanos());
  }

  /**
   * How long the answer may still be served if nobody asks for it meanwhile; empty if it never
   * expires or is not kept.
   */
  public Optional<Duration> remainingTtl() {
    if (entry == null || !entry.expires()) {
      return Optional.empty();
    }
    return Optional.of(Duration.ofNanos(Math.max(0, entry.remainingNanos(ground.time().nanos()))));
  }

  /**
   * A bound on staleness: every change that had committed before this moment is in the answer. For
   * a hit it is the feed's watermark, for a load the moment it began. Shown on the wall clock as
   * that goes when this is called: never ahead of it, whatever it has jumped since the read.
   */
  public Instant freshAsOf() {
    return ground.time().wallAt(freshNanos());
  }

  /** {@link #freshAsOf()} on the monotonic clock. */
  long freshNanos() {
    if (entry == null) {
      return Objects.requireNonNull(watermark, "a direct read says when it began").nanos();
    }
    long began = entry.loadBeganNanos();
    return watermark != null && watermark.nanos() - began > 0 ? watermark.nanos() : began;
  }

  /** Why the read bypassed the shelf, in words; empty unless it did. */
  public Optional<String> bypass() {
    return Optional.ofNullable(bypass);
  }

  /**
   * Why nobody else is given this answer, in words: the read bypassed the shelf, or what was loaded
   * turned out to be good for its caller alone. Empty if it is kept, or would be if it fitted.
   */
  public Optional<String> unshared() {
    return Optional.ofNullable(bypass == null ? alone : bypass);
  }

  /**
   * Whether no change to what the answer was read from has been noticed since. Never true of an
   * answer that is for its caller alone ({@link #unshared}): of that nobody knows.
   */
  public boolean holdsStill() {
    return entry != null && alone == null && entry.isFresh(ground.board());
  }

  /**
   * Whether the answer says what the feed has told, no less and no more: it was kept, which rules
   * out one for its caller alone; the feed has told of all that had committed when it was loaded;
   * and none of that has touched it since. Of an answer that another process has loaded nobody
   * knows so exactly when that was.
   */
  public boolean saysWhatWasTold() {
    Watermark told = ground.board().watermark();
    return (origin == Origin.KEPT || origin == Origin.REVIVED)
        && entry != null
        && entry.loadedBy() == LoadedBy.THIS_PROCESS
        && told != null
        && told.nanos() - (entry.loadBeganNanos() + entry.loadNanos()) >= 0
        && entry.isFresh(ground.board());
  }

  /**
   * A name for what the answer says, from which {@link dev.warmshelf.http.ReadingHeaders#entityTag}
   * makes an entity tag: of rows it is a digest of their values in their order, the same in every
   * process, worked out when it is first asked for; of any other kept value it is the same for as
   * long as that is kept. Empty if nothing is kept.
   */
  public Optional<String> version() {
    Entry kept = entry;
    if (kept == null || alone != null) {
      return Optional.empty();
    }
    String digest = kept.value() instanceof Content content ? content.digest() : null;
    return Optional.of(digest == null ? ground.nameOf(kept) : digest);
  }

  /** About how many bytes the answer takes in memory. */
  public long bytes() {
    return entry == null ? Entry.bytesOf(value) : entry.bytes();
  }

  /** {@link #loadTime()} in nanoseconds. */
  public long loadNanos() {
    return entry == null ? 0 : entry.loadNanos();
  }

  @Nullable Entry entry() {
    return entry;
  }

  /** The lanes that the answer depends on; nothing for one that bypassed the shelf. */
  public Footprint footprint() {
    return entry == null ? Footprint.NOTHING : entry.footprint();
  }

  /** The same reading of another value: what a caller makes of the answer. */
  public <W extends @Nullable Object> Reading<W> with(W other) {
    return new Reading<>(
        other, origin, ageNanos, watermark, bypass, entry, needless, alone, ground);
  }

  /**
   * The same reading of its caller's own load.
   *
   * @param why it is for this caller alone; null if it is not
   */
  Reading<V> ofOwnLoad(@Nullable String why, boolean wasNeedless) {
    return why != null || wasNeedless
        ? new Reading<>(value, origin, ageNanos, watermark, bypass, entry, wasNeedless, why, ground)
        : this;
  }

  /**
   * Whether this caller's load was for nothing: what was kept had been put out by a change, and the
   * load gave the same again.
   */
  public boolean wasNeedless() {
    return needless;
  }

  @Override
  public String toString() {
    return "Reading[" + origin + ", age " + age() + ", fresh as of " + freshAsOf() + "]";
  }
}
